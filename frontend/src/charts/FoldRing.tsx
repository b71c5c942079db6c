import { memo } from "react";
import { goodness, ramp, type ScoreScale } from "../lib/ramp";
import { ringArcs } from "./foldRingLayout";

interface Props {
  scores: (number | null)[];
  folds: number;
  state: string;
  scale: ScoreScale;
  size?: number;
  running?: number[]; // folds that are being fitted now
}

/** A trial as a ring cut into its folds: an arc fills when its fold is scored, and is coloured by what the trial makes of the
 * fold, not by how easy the fold is. */
export const FoldRing = memo(function FoldRing({ scores, folds, state, scale, size = 22, running = [] }: Props) {
  const shares = Array.from({ length: folds }, (_, i) => {
    const value = scores[i];
    return value === null || value === undefined ? null : goodness(value, scale, i);
  });
  const done = shares.filter((s) => s !== null).length;
  const width = size / 5;
  const mid = size / 2;
  return (
    <svg
      className="still"
      width={size}
      height={size}
      role="img"
      aria-label={`${state}, ${done} of ${folds} folds scored`}
    >
      {ringArcs(shares, size, width).map((arc, i) => (
        <path
          key={i}
          d={arc.path}
          fill="none"
          className={running.includes(i) ? "breathing" : undefined}
          strokeWidth={arc.filled === null && !running.includes(i) ? width * 0.45 : width}
          stroke={arc.filled === null ? (running.includes(i) ? "var(--honey)" : "var(--rule)") : ramp(arc.filled)}
        />
      ))}
      {state === "ended early" && (
        <path d={`M${mid - size * 0.2} ${mid}H${mid + size * 0.2}`} stroke="var(--ember)" strokeWidth={2} />
      )}
      {state === "parked" && <circle cx={mid} cy={mid} r={size * 0.12} fill="var(--soft)" />}
      {state === "failed" && (
        <path
          d={`M${size * 0.22} ${size * 0.78}L${size * 0.78} ${size * 0.22}`}
          stroke="var(--ember)"
          strokeWidth={2.4}
        />
      )}
      {state === "withdrawn" && (
        <path
          d={`M${mid - size * 0.16} ${mid - size * 0.16}h${size * 0.32}v${size * 0.32}h${-size * 0.32}z`}
          fill="none"
          stroke="var(--soft)"
          strokeWidth={1.6}
        />
      )}
    </svg>
  );
});
