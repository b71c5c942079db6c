/** The best so far of a problem as a small stepped line. */
export function Spark({
  values,
  width = 150,
  height = 34,
  larger,
  baseline,
}: {
  values: number[];
  width?: number;
  height?: number;
  larger: boolean;
  baseline: number | null;
}) {
  if (values.length === 0) return <span className="block" style={{ height }} />;
  const all = baseline === null ? values : [...values, baseline];
  const low = Math.min(...all);
  const high = Math.max(...all);
  const y = (v: number) => {
    const share = high > low ? (v - low) / (high - low) : 0.5;
    return 3 + (1 - (larger ? share : 1 - share)) * (height - 6);
  };
  const x = (i: number) => (values.length > 1 ? (i / (values.length - 1)) * (width - 5) : 3); // one dot alone is drawn whole
  const path = values.map((v, i) => (i === 0 ? `M0 ${y(v)}` : `H${x(i)}V${y(v)}`)).join("");
  return (
    <svg width={width} height={height} role="img" aria-label="Best so far">
      {baseline !== null && <path d={`M0 ${y(baseline)}H${width}`} stroke="var(--soft)" strokeDasharray="3 3" />}
      <path d={path} fill="none" stroke="var(--honey)" strokeWidth={2} />
      <circle cx={x(values.length - 1)} cy={y(values[values.length - 1]!)} r={3} fill="var(--honey)" />
    </svg>
  );
}
