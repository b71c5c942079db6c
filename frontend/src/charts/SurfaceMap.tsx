import { useColorScheme } from "@mui/material/styles";
import { useLayoutEffect, useRef, useState } from "react";
import type { Surface } from "../api/evidence";
import { figure, scalar } from "../lib/format";
import { ramp } from "../lib/ramp";
import { prepare } from "./canvas";
import { areaOf, banded, drawnAt, marks, ridgeLine, spanOf, valueAt } from "./surfaceLayout";

interface Props {
  surface: Surface;
  values: number[][];
  what: "score" | "error";
  larger: boolean;
  width: number;
  ridge: number[] | null;
  picked: number[] | null;
  selected: number | null;
  inspect: (id: number) => void;
  span?: readonly [number, number]; // of the scale, where several are looked at together
}

const [DARK, LIGHT] = ["#21302b", "#fffaf0"]; // on a ramp that is the same by day and by night

/** Filled contours of a surface on the score ramp, with the trials on it and a scale below. */
export function SurfaceMap({ surface, values, what, larger, width, ridge, picked, selected, inspect, span }: Props) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const { mode } = useColorScheme();
  const [under, setUnder] = useState<{ x: number; y: number } | null>(null);
  const area = areaOf(width);
  const [low, high] = span ?? spanOf(values);
  const { across, down } = surface;
  const good = (value: number) => {
    const share = high > low ? (value - low) / (high - low) : 0.5;
    return what === "score" && !larger ? 1 - share : share;
  };
  useLayoutEffect(() => {
    if (!canvas.current) return;
    const pen = prepare(canvas.current, area.width, area.height);
    const cell = 2;
    for (let px = 0; px < area.width; px += cell)
      for (let py = 0; py < area.height; py += cell) {
        const value = valueAt(values, across, down, (px + cell / 2) / area.width, 1 - (py + cell / 2) / area.height);
        const share = banded(good(value));
        pen.fillStyle =
          what === "score"
            ? ramp(share)
            : `rgba(${mode === "dark" ? "229,128,95" : "174,66,38"},${0.06 + 0.7 * share})`;
        pen.fillRect(px, py, cell, cell);
      }
    for (const [side, upright] of [
      [across, true],
      [down, false],
    ] as const)
      if (side.options) {
        pen.fillStyle = mode === "dark" ? "#141b19" : "#f4eddf"; // options are apart: nothing lies between them
        for (let k = 1; k < side.positions.length; k++)
          if (upright) pen.fillRect((k / side.positions.length) * area.width - 1.5, 0, 3, area.height);
          else pen.fillRect(0, (1 - k / side.positions.length) * area.height - 1.5, area.width, 3);
      }
  });
  const x = (position: number) => area.left + drawnAt(across, position) * area.width;
  const y = (position: number) => area.top + (1 - drawnAt(down, position)) * area.height;
  const height = area.top + area.height + 62;
  const chosen = picked ? new Set(picked) : null;
  const behind = ridge ? new Set(ridge) : null;
  const line = behind
    ? ridgeLine(surface.points.filter((p) => behind.has(p.id)).map((p) => [x(p.at[0]!), y(p.at[1]!)]))
    : null;
  const told = under && valueAt(values, across, down, under.x, under.y);
  return (
    <div className="anchor" style={{ width, height }}>
      <canvas
        ref={canvas}
        className="placed"
        style={{ left: area.left, top: area.top, width: area.width, height: area.height }}
        aria-hidden
      />
      <svg
        className="anchor block"
        width={width}
        height={height}
        role="img"
        aria-label={`${what === "score" ? "Score" : "Error"} over ${across.name} and ${down.name}, from ${figure(low)} to ${figure(high)}`}
        onPointerMove={(event) => {
          const box = event.currentTarget.getBoundingClientRect();
          const at = {
            x: (event.clientX - box.left - area.left) / area.width,
            y: 1 - (event.clientY - box.top - area.top) / area.height,
          };
          setUnder(at.x >= 0 && at.x <= 1 && at.y >= 0 && at.y <= 1 ? at : null);
        }}
        onPointerLeave={() => setUnder(null)}
      >
        <rect x={area.left} y={area.top} width={area.width} height={area.height} fill="none" stroke="var(--rule)" />
        {surface.points.map((point, i) => {
          const out = chosen !== null && !chosen.has(point.id);
          return (
            <g
              key={i}
              className={point.id ? "clickable" : undefined}
              opacity={out ? 0.2 : 0.9}
              fill={point.id === selected ? "var(--honey)" : "none"}
              onClick={() => point.id && inspect(point.id)}
            >
              {/* Dark on light: it shows on any colour. */}
              {[
                [LIGHT, 2.8],
                [DARK, 1.3],
              ].map(([stroke, strokeWidth]) => (
                <circle
                  key={stroke}
                  cx={x(point.at[0]!)}
                  cy={y(point.at[1]!)}
                  r={point.id === selected ? 5.5 : 3}
                  stroke={String(stroke)}
                  strokeWidth={strokeWidth}
                />
              ))}
              <title>{figure(point.score)}</title>
            </g>
          );
        })}
        {line && (
          <g data-ridge fill="none" strokeDasharray="8 4">
            {[
              [LIGHT, 4.5],
              [DARK, 2.2],
            ].map(([stroke, strokeWidth]) => (
              <path
                key={stroke}
                d={`M${line[0][0]} ${line[0][1]}L${line[1][0]} ${line[1][1]}`}
                stroke={String(stroke)}
                strokeWidth={strokeWidth}
              />
            ))}
          </g>
        )}
        <g fontSize={10.5} fill="var(--soft)">
          {marks(across).map(({ at, index }) => (
            <text key={index} x={area.left + at * area.width} y={area.top + area.height + 14} textAnchor="middle">
              {scalar(across.values[index])}
            </text>
          ))}
          {marks(down).map(({ at, index }) => (
            <text key={index} x={area.left - 5} y={area.top + (1 - at) * area.height + 3.5} textAnchor="end">
              {scalar(down.values[index])}
            </text>
          ))}
          <text x={area.left + area.width / 2} y={area.top + area.height + 30} textAnchor="middle" fontSize={11.5}>
            {across.name}
          </text>
          <text
            transform={`translate(10 ${area.top + area.height / 2}) rotate(-90)`}
            textAnchor="middle"
            fontSize={11.5}
          >
            {down.name}
          </text>
          <text x={area.left} y={area.top + area.height + 52} data-read>
            {told === null || under === null
              ? `${figure(low)} to ${figure(high)}, ${what === "score" ? "light is good" : "the redder, the less sure"}`
              : `${figure(told)} here`}
          </text>
        </g>
      </svg>
    </div>
  );
}
