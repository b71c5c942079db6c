/** The arcs of a fold ring: numbers in, paths out. */
export interface Arc {
  path: string;
  filled: number | null; // goodness of the fold's score, null while it has none
}

const GAP = 0.14; // radians between arcs

export function ringArcs(shares: (number | null)[], size: number, width: number): Arc[] {
  const n = shares.length;
  const r = size / 2 - width / 2;
  const c = size / 2;
  const gap = n > 12 ? 0.04 : GAP;
  return shares.map((filled, i) => {
    const from = (i / n) * 2 * Math.PI - Math.PI / 2 + gap / 2;
    const to = ((i + 1) / n) * 2 * Math.PI - Math.PI / 2 - gap / 2;
    const point = (a: number) => `${(c + r * Math.cos(a)).toFixed(2)} ${(c + r * Math.sin(a)).toFixed(2)}`;
    return { path: `M${point(from)}A${r} ${r} 0 ${to - from > Math.PI ? 1 : 0} 1 ${point(to)}`, filled };
  });
}
