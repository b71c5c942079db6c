import type { Curve } from "../api/evidence";
import type { ScoreScale } from "../lib/ramp";
import type { Axis, Parameter } from "../lib/scale";
import { drawn, type Room } from "./evidenceLaneLayout";

interface Props {
  curve: Curve;
  kind: "average" | "near";
  parameter: Parameter;
  axis: Axis | null;
  width: number;
  scale: ScoreScale;
  room: Room;
}

/** The score along the lane: a line with its 80 % band; between options there is nothing, so each has a bar of its own. */
export function CurveBand({ curve, kind, parameter, axis, width, scale, room }: Props) {
  const points = drawn(curve, kind, parameter, axis, width, scale, room);
  if (points.length === 0) return null;
  if (curve.options)
    return (
      <g data-curve={curve.name}>
        {points.map((p, i) => (
          <g key={i}>
            <rect
              x={p.x - 16}
              y={p.high}
              width={32}
              height={Math.max(p.low - p.high, 1)}
              fill="var(--spruce)"
              opacity={0.16}
            />
            <path d={`M${p.x - 16} ${p.mean}h32`} stroke="var(--spruce)" strokeWidth={2} />
          </g>
        ))}
      </g>
    );
  const there = points.map((p) => `${p.x.toFixed(1)} ${p.high.toFixed(1)}`);
  const back = [...points].reverse().map((p) => `${p.x.toFixed(1)} ${p.low.toFixed(1)}`);
  return (
    <g data-curve={curve.name}>
      <path d={`M${[...there, ...back].join("L")}Z`} fill="var(--spruce)" opacity={0.16} />
      <path
        d={`M${points.map((p) => `${p.x.toFixed(1)} ${p.mean.toFixed(1)}`).join("L")}`}
        fill="none"
        stroke="var(--spruce)"
        strokeWidth={2}
      />
    </g>
  );
}
