interface Props {
  mean: number;
  standard_error: number | null;
  low: number;
  high: number;
  mark: number | null; // one standard error from the best
  base?: number | null; // the baseline's mean
  dashed?: boolean;
  again?: { mean: number; standard_error: number | null } | null; // on fresh folds
  width?: number;
}

/** A mean with its standard error on an axis shared by all rows; below it, tied to it, the mean on fresh folds. */
export function ErrorBar({
  mean,
  standard_error: error,
  low,
  high,
  mark,
  base = null,
  dashed = false,
  again = null,
  width = 142,
}: Props) {
  const share = (v: number) => (high > low ? Math.min(Math.max((v - low) / (high - low), 0), 1) : 0.5);
  const x = (v: number) => 5 + share(v) * (width - 10);
  const height = again ? 26 : 16;
  const bar = (m: number, e: number, y: number) =>
    `M${x(m - e)} ${y}H${x(m + e)}M${x(m - e)} ${y - 3.5}v7M${x(m + e)} ${y - 3.5}v7`;
  return (
    <svg
      className="block"
      width={width}
      height={height}
      role="img"
      aria-label={`mean ${mean}${error === null ? "" : `, standard error ${error}`}${again ? `; on fresh folds ${again.mean}` : ""}`}
    >
      {base !== null && <path d={`M${x(base)} 0V${height}`} stroke="var(--rule)" strokeWidth={2} />}
      {mark !== null && <path d={`M${x(mark)} 0V${height}`} stroke="var(--honey)" strokeDasharray="2 2" />}
      {error !== null && (
        <path
          d={bar(mean, error, 8)}
          stroke="var(--ink)"
          strokeWidth={1.5}
          strokeDasharray={dashed ? "3 2" : undefined}
        />
      )}
      <circle cx={x(mean)} cy={8} r={4} fill="var(--spruce)" />
      {again && (
        <>
          <path d={`M${x(mean)} 8L${x(again.mean)} 19`} stroke="var(--soft)" strokeDasharray="1.5 2" />
          {again.standard_error !== null && (
            <path d={bar(again.mean, again.standard_error, 19)} stroke="var(--soft)" strokeWidth={1.5} />
          )}
          <rect
            x={x(again.mean) - 3.5}
            y={15.5}
            width={7}
            height={7}
            fill="var(--sheet)"
            stroke="var(--spruce)"
            strokeWidth={1.6}
          />
        </>
      )}
    </svg>
  );
}
