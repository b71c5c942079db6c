import type { Column } from "../api/client";
import { count } from "../lib/format";

/** The distribution of a column, as bars; categories by frequency. */
export function Histogram({ column, width = 120, height = 26 }: { column: Column; width?: number; height?: number }) {
  const bins = column.histogram;
  const top = Math.max(...bins, 1);
  const step = width / Math.max(bins.length, 1);
  const gap = column.type === "number" ? 0.5 : 2;
  const label = column.type === "number" ? `${column.low} to ${column.high}` : `${count(column.distinct)} values`;
  return (
    <svg width={width} height={height} role="img" aria-label={`Distribution, ${label}`}>
      <path d={`M0 ${height - 0.5}H${width}`} stroke="var(--rule)" />
      {bins.map((n, i) => {
        const h = n === 0 ? 0 : Math.max((n / top) * (height - 2), 1);
        return (
          <rect
            key={i}
            x={i * step + gap / 2}
            y={height - 1 - h}
            width={Math.max(step - gap, 0.8)}
            height={h}
            fill={column.role === "ignore" ? "var(--rule)" : "var(--spruce)"}
            opacity={0.8}
          />
        );
      })}
    </svg>
  );
}
