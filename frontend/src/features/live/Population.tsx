import { useMemo, useState } from "react";
import type { Curves, Points } from "../../api/client";
import { figure, score } from "../../lib/format";
import { goodness, ramp, type ScoreScale } from "../../lib/ramp";
import { useWidth } from "../../charts/useWidth";
import { Switch } from "../../ui/Switch";
import { lineage, valueLines } from "./populationLayout";

interface Props {
  curves: Curves;
  points: Points;
  scale: ScoreScale;
  counter: string;
  steerable: string[];
  onPick: (id: number) => void;
}

const ROW = 19;
const LEFT = 66;
const VALUES = 96;

/** Members as rows, intervals as bars; where a member goes on as a copy of another, a bow leads from there. */
export function Population({ curves, points, scale, counter, steerable, onPick }: Props) {
  const [ref, width] = useWidth();
  const drawn = useMemo(() => lineage(curves), [curves]);
  const changing = steerable.filter((name) => points.values[name]);
  const [chosen, choose] = useState<string | null>(null);
  const name = chosen ?? changing[0] ?? "";
  const lines = useMemo(() => valueLines(curves, points, name), [curves, points, name]);
  const most = curves.levels.at(-1) ?? 1;
  const x = (level: number) => LEFT + (level / most) * (width - LEFT - 12);
  const y = (member: number) => 16 + member * ROW;
  const height = 16 + drawn.members * ROW + 18;
  return (
    <div ref={ref} data-population={drawn.members}>
      <svg width={width} height={height} role="img" aria-label={`${drawn.members} members training in intervals`}>
        <g fontSize={10.5} fill="var(--soft)">
          {Array.from({ length: drawn.members }, (_, member) => (
            <text key={member} x={LEFT - 8} y={y(member) + 4} textAnchor="end">
              member {member + 1}
            </text>
          ))}
          {curves.levels.map((level) => (
            <g key={level}>
              <path d={`M${x(level)} 6V${height - 18}`} stroke="var(--rule)" />
              <text x={x(level)} y={height - 5} textAnchor="middle">
                {level}
              </text>
            </g>
          ))}
          <text x={LEFT - 8} y={height - 5} textAnchor="end">
            {counter}
          </text>
        </g>
        {drawn.copies.map((copy) => (
          <path
            key={copy.number}
            d={`M${x(copy.at)} ${y(copy.from)}C${x(copy.at) + 12} ${y(copy.from)} ${x(copy.at) - 8} ${y(copy.to)} ${x(copy.at) + 5} ${y(copy.to)}`}
            fill="none"
            stroke="var(--ember)"
            strokeWidth={1.3}
          />
        ))}
        {drawn.intervals.map((interval) => (
          <rect
            className="clickable"
            key={interval.number}
            x={x(interval.from) + 4}
            y={y(interval.member) - 6}
            width={Math.max(x(interval.to) - x(interval.from) - 7, 3)}
            height={12}
            rx={3}
            fill={interval.score === null ? "var(--sunk)" : ramp(goodness(interval.score, scale))}
            stroke={interval.winning ? "var(--honey)" : "none"}
            strokeWidth={2.4}

            onClick={() => onPick(interval.id)}
          >
            <title>{`Trial ${interval.number}: ${interval.score === null ? "under way" : score(interval.score)}`}</title>
          </rect>
        ))}
      </svg>
      <div className="row small below">
        <span className="soft grow">
          Bows: a weak member goes on as a changed copy. Honey rims: the line of the best, whose settings are the
          schedule.
        </span>
        {changing.length > 0 && <Switch label="Setting" options={changing} value={name} onChange={choose} />}
      </div>
      <svg width={width} height={VALUES + 14} role="img" aria-label={`${name} of every member over the training`}>
        <g fontSize={10.5} fill="var(--soft)">
          <text x={LEFT - 8} y={14} textAnchor="end">
            {figure(lines.high)}
          </text>
          <text x={LEFT - 8} y={VALUES} textAnchor="end">
            {figure(lines.low)}
          </text>
        </g>
        <path d={`M${LEFT} 6V${VALUES + 4}H${width - 12}`} fill="none" stroke="var(--rule)" />
        {lines.steps.map((step) => (
          <path
            key={step.number}
            d={`M${x(step.from)} ${8 + (1 - step.share) * (VALUES - 10)}H${x(step.to)}`}
            stroke={step.winning ? "var(--honey)" : "var(--soft)"}
            strokeWidth={step.winning ? 2.6 : 1.2}
            opacity={step.winning ? 1 : 0.6}
          />
        ))}
      </svg>
    </div>
  );
}
