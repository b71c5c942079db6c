/** The place of a threshold among the cuts: rows with a probability of at least it are called positive. */
export function placeOf(cuts: { threshold: (number | null)[] }, threshold: number): number {
  return Math.max(
    cuts.threshold.findLastIndex((t) => t === null || t >= threshold),
    0,
  );
}
