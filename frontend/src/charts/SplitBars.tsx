import type { Split } from "../api/client";
import { count, figure, percent } from "../lib/format";

const CLASS_SHADES = ["var(--rule)", "var(--spruce)", "var(--honey)", "var(--ember)", "#387682", "#7d6b9e", "#8a8f4a"];

/** The split plan drawn: each fold's rows along the file, and the balance of the target in it. */
export function SplitBars({ split, classes, width = 360 }: { split: Split; classes: string[]; width?: number }) {
  const step = width / split.stripe.length;
  const codes = split.parts.map((part, i) => (part.name === "holdout" ? -1 : i));
  return (
    <table className="full spaced-rows" aria-label="Folds and holdout over the rows">
      <tbody>
        {split.parts.map((part, i) => {
          const holdout = part.name === "holdout";
          return (
            <tr key={part.name}>
              <th scope="row" className="small left one-line before-next" style={{ fontWeight: holdout ? 650 : 450 }}>
                {holdout ? "holdout, sealed" : part.name}
              </th>
              <td className="split-bar">
                <svg
                  width="100%"
                  height={15}
                  viewBox={`0 0 ${width} 15`}
                  preserveAspectRatio="none"
                  role="img"
                  aria-label={`tests ${count(part.rows)} rows, learns from ${count(part.learnt)}`}
                >
                  <rect width={width} height={15} fill="var(--sunk)" />
                  {split.stripe.map((code, k) => {
                    const own = code === codes[i];
                    // In time each fold learns from what came before it, and from nothing else.
                    const learnt = split.stripe_by === "time" && !holdout && (code === -3 || (code >= 0 && code < i));
                    return (
                      (own || learnt) && (
                        <rect
                          key={k}
                          x={k * step}
                          width={step + (learnt ? 0.5 : 0)}
                          height={15}
                          fill={learnt ? "var(--spruce-tint)" : holdout ? "var(--honey)" : "var(--spruce)"}
                        />
                      )
                    );
                  })}
                </svg>
              </td>
              <td className="small soft right one-line between">{count(part.rows)}</td>
              <td className="split-seen">
                {classes.length ? (
                  <Balance shares={part.balance} classes={classes} />
                ) : (
                  <span className="small soft">median {figure(part.balance[1] ?? 0)}</span>
                )}
              </td>
            </tr>
          );
        })}
      </tbody>
    </table>
  );
}

function Balance({ shares, classes }: { shares: number[]; classes: string[] }) {
  const words = classes.map((name, i) => `${name} ${percent(shares[i] ?? 0)}`).join(", ");
  const edges = shares.map((_, i) => shares.slice(0, i).reduce((sum, share) => sum + share, 0) * 74);
  return (
    <span className="row close one-line" title={words}>
      <svg className="still" width={74} height={10} role="img" aria-label={words}>
        {shares.map((share, i) => (
          <rect
            key={i}
            x={edges[i]}
            width={Math.max(share * 74 - 0.5, 0)}
            height={10}
            fill={CLASS_SHADES[i % CLASS_SHADES.length]}
          />
        ))}
      </svg>
      {classes.length === 2 && <span className="small soft">{((shares[1] ?? 0) * 100).toFixed(1)} %</span>}
    </span>
  );
}
