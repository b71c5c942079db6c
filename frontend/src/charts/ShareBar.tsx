interface Props {
  alone: number;
  total: number;
  low: number;
  high: number;
}

const at = (share: number) => `${100 * Math.min(Math.max(share, 0), 1)}%`;

/** A share of a whole: dark what is by itself, light what comes with others, a line for the doubt. Its numbers stand beside it. */
export function ShareBar({ alone, total, low, high }: Props) {
  return (
    <svg className="block full" height={18} aria-hidden>
      <rect x={0} y={3} width="100%" height={12} fill="var(--sunk)" />
      <rect x={0} y={3} width={at(Math.max(total, alone))} height={12} fill="var(--spruce)" opacity={0.35} />
      <rect x={0} y={3} width={at(alone)} height={12} fill="var(--spruce)" />
      <line x1={at(low)} x2={at(high)} y1={9} y2={9} stroke="var(--ink)" strokeWidth={1.5} />
      <line x1={at(low)} x2={at(low)} y1={5} y2={13} stroke="var(--ink)" strokeWidth={1.5} />
      <line x1={at(high)} x2={at(high)} y1={5} y2={13} stroke="var(--ink)" strokeWidth={1.5} />
    </svg>
  );
}
