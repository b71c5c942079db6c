import type { ReactNode } from "react";
import { figure } from "../lib/format";
import { boxOf, place, ticks, type Box, type Ends } from "./plotLayout";

export interface Scales {
  x: (value: number) => number;
  y: (value: number) => number;
  box: Box;
}

interface Props {
  width: number;
  height: number;
  across: string;
  up: string;
  x: Ends;
  y: Ends;
  label: string;
  children: (scales: Scales) => ReactNode;
}

/** Ticks are round already: rounding them again would make two alike. */
const tickText = (t: number) => (Math.abs(t) >= 1e5 ? figure(t) : String(t));

/** Axes with round ticks; what stands between them is drawn by the children. */
export function Plot({ width, height, across, up, x, y, label, children }: Props) {
  const box = boxOf(width, height);
  const scales: Scales = {
    x: (v) => place(v, x, box.left, box.right),
    y: (v) => place(v, y, box.bottom, box.top),
    box,
  };
  return (
    <svg className="block spills" width={width} height={height} role="img" aria-label={label}>
      <g fontSize={10.5} fill="var(--soft)">
        {ticks(x).map((t) => (
          <g key={t}>
            <path d={`M${scales.x(t)} ${box.top}V${box.bottom}`} stroke="var(--rule)" />
            <text x={scales.x(t)} y={box.bottom + 14} textAnchor="middle">
              {tickText(t)}
            </text>
          </g>
        ))}
        {ticks(y).map((t) => (
          <g key={t}>
            <path d={`M${box.left} ${scales.y(t)}H${box.right}`} stroke="var(--rule)" />
            <text x={box.left - 6} y={scales.y(t) + 3.5} textAnchor="end">
              {tickText(t)}
            </text>
          </g>
        ))}
        <text x={(box.left + box.right) / 2} y={box.bottom + 31} textAnchor="middle" fontSize={11.5}>
          {across}
        </text>
        <text transform={`translate(10 ${(box.top + box.bottom) / 2}) rotate(-90)`} textAnchor="middle" fontSize={11.5}>
          {up}
        </text>
      </g>
      {children(scales)}
    </svg>
  );
}
