import type { FaceOff } from "../api/evidence";
import { Plot } from "./Plot";
import { bandOf, faceEnds, lineOf, type Against } from "./faceLinesLayout";
import { pathOf } from "./plotLayout";
import { DASHES } from "./strokes";

interface Props {
  faceoff: FaceOff;
  against: Against;
  metric: string;
  larger: boolean;
  width: number;
}

const WORDS: Record<Against, string> = { trials: "trials ended", seconds: "seconds since the run began" };

/** Median best so far of each entrant with its quartiles, told apart by strokes and by their numbers at the end. */
export function FaceLines({ faceoff, against, metric, larger, width }: Props) {
  const lines = faceoff.standings.map((one) => (against === "trials" ? one.by_trials : one.by_seconds));
  const { x, y } = faceEnds(lines, faceoff.baseline);
  const leading = leader(faceoff, larger);
  return (
    <Plot
      width={width}
      height={240}
      across={WORDS[against]}
      up={metric}
      x={x}
      y={y}
      label={`Median best ${metric} of each entrant against ${WORDS[against]}; the table below has the numbers`}
    >
      {(scales) => (
        <>
          <clipPath id={`face-${faceoff.id}`}>
            <rect
              x={scales.box.left}
              y={scales.box.top}
              width={scales.box.right - scales.box.left}
              height={scales.box.bottom - scales.box.top}
            />
          </clipPath>
          <g clipPath={`url(#face-${faceoff.id})`}>
            {faceoff.baseline !== null && (
              <path
                d={`M${scales.box.left} ${scales.y(faceoff.baseline)}H${scales.box.right}`}
                stroke="var(--soft)"
                strokeDasharray="5 4"
                fill="none"
              />
            )}
            {lines.map((line, i) => (
              <path
                key={i}
                d={`${pathOf(bandOf(line).map(([a, b]) => [scales.x(a), scales.y(b)]))}Z`}
                fill={i === leading ? "var(--honey)" : "var(--spruce)"}
                opacity={0.1}
              />
            ))}
            {lines.map((line, i) => (
              <path
                key={i}
                data-entrant={i + 1}
                d={pathOf(lineOf(line).map(([a, b]) => [scales.x(a), scales.y(b)]))}
                fill="none"
                stroke={i === leading ? "var(--honey)" : "var(--spruce)"}
                strokeWidth={i === leading ? 2.4 : 1.6}
                strokeDasharray={DASHES[i % DASHES.length]}
              />
            ))}
          </g>
          {lines.map((line, i) => {
            const end = lineOf(line).at(-1);
            return (
              end && (
                <text
                  key={i}
                  x={Math.min(scales.x(end[0]) + 3, scales.box.right - 8)}
                  y={scales.y(end[1]) - 4}
                  fontSize={11}
                  fill="var(--ink)"
                  textAnchor="end"
                >
                  {i + 1}
                </text>
              )
            );
          })}
        </>
      )}
    </Plot>
  );
}

/** Whose mean is best. */
export function leader(faceoff: FaceOff, larger: boolean): number {
  let best = -1;
  faceoff.standings.forEach(({ mean }, i) => {
    const held = best < 0 ? null : faceoff.standings[best]!.mean;
    if (mean !== null && (held === null || (larger ? mean > held : mean < held))) best = i;
  });
  return best;
}
