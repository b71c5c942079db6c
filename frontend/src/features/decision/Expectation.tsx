import { useHoldout, useHonestScore, type Finalist, type Finalists, type Honest } from "../../api/decisions";
import { percent, score, withError } from "../../lib/format";
import { endsOf, place } from "../../charts/plotLayout";
import { called, type BenchProps } from "./bench";

/** Raw score, honest score and holdout on one axis: what to expect of the choice on new data. */
export function Expectation({ problem, found, chosen }: BenchProps) {
  const honest = useHonestScore(problem.id, found.scored > 0);
  const looks = useHoldout(problem.id).data ?? [];
  const look = looks.filter((l) => l.state === "done" && l.trial_id === chosen.trial.id).at(-1);
  const h = honest.data;
  const error = ((h?.high ?? 0) - (h?.low ?? 0)) / 4;
  const own = expected(h, found, chosen);
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
              { name: "the search saw", value: own?.raw ?? chosen.trial.mean!, kind: "raw" },
              ...(own
                ? [{ name: "honest", value: own.score, low: own.low, high: own.high, kind: "honest" as const }]
                : []),
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
          <Words problem={problem} chosen={chosen} honest={h} own={own} error={error} />
          {h.metrics.length > 0 && <AtTheKnee metrics={h.metrics} rounds={h.rounds} />}
          {h.without_predictions > 0 && (
            <p className="small soft">{h.without_predictions} trials kept no predictions and are left out.</p>
          )}
        </>
      )}
    </section>
  );
}

/** The honest score of the chosen one: by the place it came out at, or that of the best where only this was computed. */
function expected(h: Honest | undefined, found: Finalists, chosen: Finalist) {
  const place = h?.places.find((p) => p.trial === chosen.trial.id);
  if (place || h?.score === null || h?.score === undefined) return place;
  return h.places.length === 0 && chosen.trial.id === found.leader
    ? { trial: chosen.trial.id, raw: h.raw!, score: h.score, low: h.low!, high: h.high! }
    : undefined;
}

function Words({
  problem,
  chosen,
  honest,
  own,
  error,
}: Pick<BenchProps, "problem" | "chosen"> & { honest: Honest; own: ReturnType<typeof expected>; error: number }) {
  const wins = honest.wins.find(([trial]) => trial === chosen.trial.id)?.[1] ?? 0;
  if (!own)
    return (
      <p className="small">
        Of {honest.trials}, {called(chosen)} came out too far behind to owe its <b>{score(chosen.trial.mean, error)}</b>{" "}
        to luck: expect about that.
      </p>
    );
  const luck = (problem.judging.larger_is_better ? 1 : -1) * (own.raw - own.score);
  return (
    <>
      <p className="small">
        Of {honest.trials}, {called(chosen)} looks like <b>{score(own.raw, error)}</b>; expect{" "}
        <b>{withError(own.score, error)}</b>.{" "}
        {luck > 0 ? (
          <>
            About <b>{luck.toPrecision(2)}</b> of its score is luck of coming out near the top.
          </>
        ) : (
          "Coming out there took no luck."
        )}
      </p>
      <p className="small soft">
        Drawn anew {honest.rounds} times, the rows make it the best in {percent(wins)} of the draws.
      </p>
    </>
  );
}

/** Where several metrics decide: each of the knee's, without the luck that put it there. */
function AtTheKnee({ metrics, rounds }: { metrics: Honest["metrics"]; rounds: number }) {
  return (
    <p
      className="small"
      data-knee
      title={`The front was found and its knee chosen anew in each of up to ${rounds} draws of the rows.`}
    >
      Whoever is chosen at the knee of the front:{" "}
      {metrics.map((m, i) => {
        const error = m.low === null || m.high === null ? null : (m.high - m.low) / 4;
        return (
          <span key={m.measure}>
            {i > 0 && ", "}
            {m.measure} {score(m.raw, error)} → <b>{error === null ? score(m.score) : withError(m.score, error)}</b>
          </span>
        );
      })}
      .
    </p>
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
