interface Props {
  mean: number;
  error: number | null;
  low: number;
  high: number;
  mark: number | null; // one standard error from the best
  dashed?: boolean;
}

/** A mean with its standard error on an axis shared by all rows. */
export function ErrorBar({ mean, error, low, high, mark, dashed = false }: Props) {
  const x = (v: number) => 4 + (high > low ? (v - low) / (high - low) : 0.5) * 172;
  return (
    <svg
      width={180}
      height={18}
      role="img"
      aria-label={`mean ${mean}${error === null ? "" : `, standard error ${error}`}`}
      style={{ display: "block" }}
    >
      {mark !== null && <path d={`M${x(mark)} 0V18`} stroke="var(--honey)" strokeDasharray="2 2" />}
      {error !== null && (
        <path
          d={`M${x(mean - error)} 9H${x(mean + error)}M${x(mean - error)} 5v8M${x(mean + error)} 5v8`}
          stroke="var(--ink)"
          strokeWidth={1.5}
          strokeDasharray={dashed ? "3 2" : undefined}
        />
      )}
      <circle cx={x(mean)} cy={9} r={4} fill="var(--spruce)" />
    </svg>
  );
}
