import { useState } from "react";
import type { Front } from "../api/searches";
import { score } from "../lib/format";
import { frontEnds, shore, within } from "./frontPlotLayout";
import { Plot } from "./Plot";
import { pathOf } from "./plotLayout";

interface Props {
  front: Front;
  axes: [number, number]; // which metrics lie across and up
  width: number;
  height: number;
  onPick: (trial: number) => void;
}

const BEHIND = 1200; // dots drawn behind the front: a picture of more is a cloud

/** Trials by two metrics: the front and what it covers, the rest behind it, what breaks a limit hollow and faint. */
export function FrontPlot({ front, axes, width, height, onPick }: Props) {
  const [over, setOver] = useState<number | null>(null);
  const [across, up] = axes;
  const dots = front.points.map((point) => ({ ...point, id: point.trial_id }));
  const x = frontEnds(dots, front.reference, across);
  const y = frontEnds(dots, front.reference, up);
  const known = dots.filter((dot) => dot.values[across] !== null && dot.values[up] !== null);
  const behind = known.filter((dot) => !dot.on_front).slice(-BEHIND);
  const ahead = known.filter((dot) => dot.on_front);
  const newest = known.at(-1)?.id;
  const named = (metric: number) => {
    const { measure, larger_is_better } = front.aims[metric]!;
    return `${measure} ${larger_is_better ? "↑" : "↓"}`;
  };
  const words = (dot: (typeof dots)[number]) =>
    `${dot.origin === "baseline" ? "Baseline" : `Trial ${dot.number}`}: ` +
    front.aims.map((aim, i) => `${aim.measure} ${score(dot.values[i])}`).join(", ");
  const shown = known.find((dot) => dot.id === over);
  return (
    <div className="anchor">
      <Plot
        width={width}
        height={height}
        across={named(across)}
        up={named(up)}
        x={x}
        y={y}
        label={`${named(up)} against ${named(across)}: ${ahead.length} of ${front.scored} scored trials stand on the front`}
      >
        {(scales) => (
          <>
            {front.reference && (
              <path
                d={`${pathOf(
                  shore(dots, front.reference, axes, [
                    front.aims[across]!.larger_is_better,
                    front.aims[up]!.larger_is_better,
                  ]).map(([a, b]): [number, number] => [scales.x(within(a, x)), scales.y(within(b, y))]),
                )}Z`}
                fill="var(--spruce-tint)"
                stroke="none"
              />
            )}
            {[...behind, ...ahead].map((dot) => {
              const baseline = dot.origin === "baseline";
              const knee = dot.id === front.knee;
              return (
                <circle
                  className="clickable"
                  key={dot.id}
                  data-front-dot={dot.number}
                  data-on-front={dot.on_front || undefined}
                  cx={scales.x(within(dot.values[across]!, x))}
                  cy={scales.y(within(dot.values[up]!, y))}
                  r={knee ? 7 : dot.on_front ? 5.5 : 3.2}
                  fill={dot.on_front ? (knee ? "var(--honey)" : "var(--spruce)") : "var(--sheet)"}
                  stroke={baseline ? "var(--ember)" : dot.on_front ? "var(--sheet)" : "var(--spruce)"}
                  strokeDasharray={baseline ? "2 2" : undefined}
                  strokeWidth={dot.id === newest && !dot.on_front ? 2.4 : 1.3}
                  opacity={dot.keeps === false ? 0.35 : dot.on_front ? 1 : 0.75}
                  onMouseEnter={() => setOver(dot.id)}
                  onMouseLeave={() => setOver(null)}
                  onClick={() => onPick(dot.id)}
                >
                  <title>{words(dot)}</title>
                </circle>
              );
            })}
          </>
        )}
      </Plot>
      <p className="small soft one-line from-axis says" role="status">
        {shown
          ? words(shown)
          : front.knee !== null && known.some((dot) => dot.id === front.knee)
            ? `The knee is ${words(known.find((dot) => dot.id === front.knee)!).replace(/^T/, "t")}`
            : ""}
      </p>
    </div>
  );
}
