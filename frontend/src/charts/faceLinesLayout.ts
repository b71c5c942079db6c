/** Lines of a face-off: medians and bands as corners of steps. Pure. */
import type { Schemas } from "../api/client";
import { endsOf, type Ends } from "./plotLayout";

type FaceLine = Schemas["FaceLineView"];
export type Against = "trials" | "seconds";
const BEGINNING = 0.1; // of a line: where it falls from is not what it is about

/** A step line through the places that have a score. */
export function lineOf({ at, median }: FaceLine): [number, number][] {
  return steps(at, median);
}

/** There along the upper quartile and back along the lower one. */
export function bandOf({ at, low, high }: FaceLine): [number, number][] {
  return [...steps(at, high), ...steps(at, low).reverse()];
}

function steps(at: number[], values: (number | null)[]): [number, number][] {
  const found: [number, number][] = [];
  at.forEach((x, i) => {
    const y = values[i];
    if (y === null || y === undefined) return;
    const last = found[found.length - 1];
    if (last && last[1] !== y) found.push([x, last[1]]);
    found.push([x, y]);
  });
  return found;
}

export function faceEnds(lines: FaceLine[], baseline: number | null): { x: Ends; y: Ends } {
  const most = Math.max(1e-9, ...lines.flatMap((line) => line.at));
  const heights = lines.flatMap((line) => {
    const from = Math.floor(line.at.length * BEGINNING);
    return [line.median, line.low, line.high].flatMap((column) => column.slice(from).filter((v) => v !== null));
  });
  return { x: { low: 0, high: most }, y: endsOf([...heights, ...(baseline === null ? [] : [baseline])], 0.06) };
}
