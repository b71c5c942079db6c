/** Where the dots of a front stand, and the shore that they cover. Pure. */
import { endsOf, type Ends } from "./plotLayout";

export interface Dot {
  id: number;
  values: (number | null)[];
  on_front: boolean;
}

/** From the reference point to the best of a metric, with room; without a reference all that there is. */
export function frontEnds(dots: Dot[], reference: number[] | null, metric: number): Ends {
  const front = dots.filter((dot) => dot.on_front).map((dot) => dot.values[metric]!);
  const known = dots.map((dot) => dot.values[metric] ?? null).filter((value) => value !== null);
  return reference && front.length ? endsOf([reference[metric]!, ...front], 0.12) : endsOf(known);
}

export const within = (value: number, { low, high }: Ends) => Math.min(Math.max(value, low), high);

/** Corners of what a front covers in two metrics, from the reference point: [across, up], in the order in which a pen draws them. */
export function shore(
  dots: Dot[],
  reference: number[],
  [across, up]: [number, number],
  larger: [boolean, boolean],
): [number, number][] {
  const sign = larger.map((one) => (one ? 1 : -1)) as [number, number];
  const turned = dots
    .filter((dot) => dot.on_front)
    .map((dot): [number, number] => [sign[0] * dot.values[across]!, sign[1] * dot.values[up]!])
    .sort((a, b) => a[0] - b[0] || b[1] - a[1]);
  // Of more than two metrics only what is outermost in these two bounds what they cover.
  const outer = turned.filter(([, y], i) => !turned.slice(i + 1).some(([, other]) => other >= y));
  const base: [number, number] = [sign[0] * reference[across]!, sign[1] * reference[up]!];
  const corners: [number, number][] = [base];
  let x = base[0];
  for (const [next, y] of outer) {
    corners.push([x, y], [next, y]);
    x = next;
  }
  corners.push([x, base[1]]);
  return corners.map(([a, b]) => [sign[0] * a, sign[1] * b]);
}
