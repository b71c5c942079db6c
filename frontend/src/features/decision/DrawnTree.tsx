import { useMemo } from "react";
import { useTree } from "../../api/decisions";
import { count, figure, percent } from "../../lib/format";
import { inkOn, ramp } from "../../lib/ramp";
import { BOX, layTree, type TreeNode } from "./drawnTreeLayout";

/** The tree itself, its questions in the columns' own units. */
export function DrawnTree({ trial, classes }: { trial: number; classes: string[] }) {
  const found = useTree(trial, true);
  const t = found.data;
  return (
    <section className="sheet col padded" data-tree={t?.state}>
      <h2 className="sub">The tree</h2>
      {found.isError && <p className="small ember">{found.error.message}</p>}
      {t?.state === "failed" && <p className="small ember">{t.message}</p>}
      {(!t || t.state === "running") && !found.isError && (
        <p className="small soft">Growing it on all rows outside the holdout …</p>
      )}
      {t?.root && (
        <>
          <p className="small soft">
            {t.leaves} leaves, {t.depth} questions deep, grown on all rows outside the holdout. Yes runs on solid, no
            dashed.
            {t.depth > 5 && " The first five questions are drawn."}{" "}
            {classes.length > 0 && `Colour: the share of ${classes.length === 2 ? classes[1] : "the commonest class"}.`}
          </p>
          <Drawing root={t.root} classes={classes} />
        </>
      )}
    </section>
  );
}

function Drawing({ root, classes }: { root: TreeNode; classes: string[] }) {
  const { boxes, edges, width, height } = useMemo(() => layTree(root), [root]);
  const values = useMemo(() => boxes.map((b) => b.node.value ?? 0), [boxes]);
  const low = Math.min(...values);
  const span = Math.max(...values) - low || 1;
  const shareOf = (n: TreeNode) =>
    n.shares === null ? ((n.value ?? 0) - low) / span : classes.length === 2 ? n.shares[1]! : Math.max(...n.shares);
  const words = (n: TreeNode) =>
    n.shares === null
      ? figure(n.value ?? 0)
      : classes.length === 2
        ? `${percent(n.shares[1]!)} ${classes[1]}`
        : `${classes[n.shares.indexOf(Math.max(...n.shares))]} ${percent(Math.max(...n.shares))}`;
  return (
    <div className="scrolls">
      <svg width={width + 2} height={height + 4} role="img" aria-label="The decision tree">
        {edges.map((e) => {
          const from = e.from.x + BOX.width;
          const middle = from + BOX.run / 2;
          return (
            <g key={e.to.id}>
              <path
                d={`M${from} ${e.from.y}C${middle} ${e.from.y} ${middle} ${e.to.y} ${e.to.x} ${e.to.y}`}
                fill="none"
                stroke={e.yes ? "var(--spruce)" : "var(--soft)"}
                strokeDasharray={e.yes ? undefined : "3 3"}
              />
            </g>
          );
        })}
        {boxes.map(({ node, x, y, id }) => {
          const share = shareOf(node);
          return (
            <g key={id} transform={`translate(${x + 0.5} ${y - BOX.height / 2})`} fontSize={10.5}>
              <rect
                width={BOX.width}
                height={BOX.height}
                rx={node.question ? 4 : 12}
                fill={ramp(share)}
                stroke="var(--rule)"
              />
              <text x={BOX.width / 2} y={14} textAnchor="middle" fill={inkOn(share)} fontWeight={600}>
                {shortened(node.question ?? (node.hidden ? `${node.hidden} more leaves` : words(node)))}
                <title>{node.question ?? words(node)}</title>
              </text>
              <text x={BOX.width / 2} y={27} textAnchor="middle" fill={inkOn(share)}>
                {node.question || node.hidden ? `${words(node)} · ` : ""}
                {count(node.rows)} rows
              </text>
            </g>
          );
        })}
      </svg>
    </div>
  );
}

const shortened = (text: string) => (text.length > 19 ? `${text.slice(0, 18)}…` : text);
