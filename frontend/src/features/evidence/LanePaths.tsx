import { HEIGHT } from "../../charts/evidenceLaneLayout";
import type { Placed } from "../../charts/pixelDotsLayout";

interface Props {
  places: Placed[];
  left: number;
  hovered: number | null;
  selected: number | null;
}

const PAD = 6; // of the sheet around the lanes

/** The way of a trial through all lanes; it skips those in which it has no value. */
export function wayOf(places: Placed[], index: number): [number, number][] {
  return places.flatMap(({ x, y }, lane): [number, number][] => {
    const at = x[index]!;
    return Number.isNaN(at) ? [] : [[at, PAD + lane * HEIGHT + y[index]!]];
  });
}

export function LanePaths({ places, left, hovered, selected }: Props) {
  return (
    <svg
      className="placed at-top untouched"
      style={{ left, height: PAD * 2 + places.length * HEIGHT }}
      width={`calc(100% - ${left}px)`}
      aria-hidden
    >
      {selected !== null && <Way way={wayOf(places, selected)} stroke="var(--ink)" name="selected" />}
      {hovered !== null && hovered !== selected && (
        <Way way={wayOf(places, hovered)} stroke="var(--honey)" name="hovered" />
      )}
    </svg>
  );
}

function Way({ way, stroke, name }: { way: [number, number][]; stroke: string; name: string }) {
  return (
    <g data-way={name}>
      <path
        d={way.map(([x, y], i) => `${i ? "L" : "M"}${x.toFixed(1)} ${y.toFixed(1)}`).join("")}
        fill="none"
        stroke={stroke}
        strokeWidth={1.6}
      />
      {way.map(([x, y], i) => (
        <circle key={i} cx={x} cy={y} r={5} fill="none" stroke={stroke} strokeWidth={2} />
      ))}
    </g>
  );
}
