import { useHoldout, useHonestScore } from "../../api/decisions";
import { percent, score, withError } from "../../lib/format";
import { endsOf, place } from "../../charts/plotLayout";
import { called, type BenchProps } from "./bench";

/** Raw score, honest score and holdout on one axis: what to expect of the choice on new data. */
export function Expectation({ problem, found }: BenchProps) {
  const honest = useHonestScore(problem.id, found.scored > 0);
  const looks = useHoldout(problem.id).data ?? [];
  const look = looks.filter((l) => l.state === "done").at(-1);
  const h = honest.data;
  const error = ((h?.high ?? 0) - (h?.low ?? 0)) / 4;
  const luck = (problem.judging.larger_is_better ? 1 : -1) * ((h?.raw ?? 0) - (h?.score ?? 0));
  const wins = h?.wins[0] as [number, number] | undefined;
  const first = found.finalists.find((f) => f.trial.id === wins?.[0]);
  return (
    <section className="sheet col padded near" data-honest={h?.state}>
      <h2>What to expect</h2>
      {honest.isError && (
        <p role="alert" className="ember small">
          {honest.error.message}
        </p>
      )}
      {h?.state === "failed" && <p className="small ember">{h.message}</p>}
      {(!h || h.state === "running") && !honest.isError && (
        <p className="small soft">Drawing the rows anew, to see how lucky the best is …</p>
      )}
      {h?.state === "done" && h.score !== null && (
        <>
          <Axis
            error={error}
            lines={[
              { name: "the search saw", value: h.raw!, kind: "raw" },
              { name: "honest", value: h.score, low: h.low!, high: h.high!, kind: "honest" },
              ...(look?.chosen
                ? [
                    {
                      name: "holdout",
                      value: look.chosen.holdout,
                      low: look.chosen.low,
                      high: look.chosen.high,
                      kind: "holdout" as const,
                    },
                  ]
                : []),
              ...(problem.baseline
                ? [{ name: "baseline", value: problem.baseline.score, kind: "baseline" as const }]
                : []),
            ]}
          />
          <p className="small">
            The best of {h.trials} looks like <b>{score(h.raw, error)}</b>; expect <b>{withError(h.score, error)}</b>.{" "}
            {luck > 0 ? (
              <>
                About <b>{luck.toPrecision(2)}</b> of its score is luck of coming out on top.
              </>
            ) : (
              "Coming out on top took no luck."
            )}
          </p>
          {wins && (
            <p className="small soft">
              Drawn anew {h.rounds} times, the rows make {first ? called(first) : "the same trial"} the best in{" "}
              {percent(wins[1])} of the draws.
            </p>
          )}
          {h.without_predictions > 0 && (
            <p className="small soft">{h.without_predictions} trials kept no predictions and are left out.</p>
          )}
        </>
      )}
    </section>
  );
}

interface Line {
  name: string;
  value: number;
  low?: number;
  high?: number;
  kind: "raw" | "honest" | "holdout" | "baseline";
}

const INKS = { raw: "var(--honey)", honest: "var(--spruce)", holdout: "var(--ink)", baseline: "var(--soft)" };

function Axis({ lines, error }: { lines: Line[]; error: number }) {
  const ends = endsOf(lines.flatMap((l) => [l.value, l.low ?? l.value, l.high ?? l.value]));
  const x = (v: number) => place(v, ends, 96, 250);
  return (
    <svg width={310} height={lines.length * 22 + 4} role="img" aria-label="Scores beside each other">
      {lines.map((l, i) => {
        const y = i * 22 + 13;
        return (
          <g key={l.name} fontSize={12} fill="var(--ink)" stroke="none">
            <text x={0} y={y + 4}>
              {l.name}
            </text>
            <path d={`M96 ${y}H250`} stroke="var(--rule)" strokeDasharray={l.kind === "baseline" ? "3 3" : undefined} />
            {l.low !== undefined && (
              <path d={`M${x(l.low)} ${y}H${x(l.high!)}`} stroke={INKS[l.kind]} strokeWidth={4} strokeOpacity={0.4} />
            )}
            {l.kind === "raw" ? (
              <circle cx={x(l.value)} cy={y} r={4.5} fill="var(--sheet)" stroke={INKS.raw} strokeWidth={2} />
            ) : (
              <circle cx={x(l.value)} cy={y} r={4.5} fill={INKS[l.kind]} />
            )}
            <text x={310} y={y + 4} textAnchor="end">
              {score(l.value, error)}
            </text>
          </g>
        );
      })}
    </svg>
  );
}
