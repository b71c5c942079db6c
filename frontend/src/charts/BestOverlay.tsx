import type { Spent } from "../api/evidence";
import { Plot } from "./Plot";
import { corners, overlayEnds, type By } from "./bestOverlayLayout";
import { pathOf } from "./plotLayout";
import { DASHES } from "./strokes";

interface Props {
  searches: Spent[]; // that are drawn
  all: Spent[]; // whose strokes are told apart
  chosen: number;
  baseline: number | null;
  metric: string;
  by: By;
  width: number;
}

const WORDS: Record<By, string> = { trials: "trials ended", fits: "fits done", seconds: "seconds of fits" };

/** Best so far of several searches; the one that is looked at in honey, others by their strokes, each with its number at its end. */
export function BestOverlay({ searches, all, chosen, baseline, metric, by, width }: Props) {
  const { x, y } = overlayEnds(searches.length ? searches : all, by, baseline);
  return (
    <Plot
      width={width}
      height={230}
      across={WORDS[by]}
      up={metric}
      x={x}
      y={y}
      label={`Best ${metric} so far of each search against ${WORDS[by]}; the table below has the numbers`}
    >
      {(scales) => (
        <>
          <clipPath id="overlay">
            <rect
              x={scales.box.left}
              y={scales.box.top}
              width={scales.box.right - scales.box.left}
              height={scales.box.bottom - scales.box.top}
            />
          </clipPath>
          <g clipPath="url(#overlay)" fill="none">
            {baseline !== null && (
              <path
                d={`M${scales.box.left} ${scales.y(baseline)}H${scales.box.right}`}
                stroke="var(--soft)"
                strokeDasharray="5 4"
              />
            )}
            {searches.map((one) => (
              <path
                key={one.search_id}
                data-line={one.number}
                d={pathOf(corners(one, by).map(([a, b]) => [scales.x(a), scales.y(b)]))}
                stroke={one.search_id === chosen ? "var(--honey)" : "var(--spruce)"}
                strokeWidth={one.search_id === chosen ? 2.4 : 1.5}
                strokeDasharray={DASHES[all.findIndex((o) => o.search_id === one.search_id) % DASHES.length]}
              />
            ))}
          </g>
          {searches.map((one) => {
            const last = one.rises[one.rises.length - 1];
            if (!last) return null;
            const end = corners(one, by).at(-1)!;
            return (
              <text
                key={one.search_id}
                x={Math.min(scales.x(end[0]) + 4, scales.box.right - 4)}
                y={scales.y(end[1]) - 4}
                fontSize={11}
                fill="var(--ink)"
                textAnchor={scales.x(end[0]) > scales.box.right - 30 ? "end" : "start"}
              >
                {one.number}
              </text>
            );
          })}
        </>
      )}
    </Plot>
  );
}
