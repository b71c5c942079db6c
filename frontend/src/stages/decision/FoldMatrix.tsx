import { useMemo } from "react";
import type { Problem, Schemas } from "../../api/client";
import { duration, score, withError } from "../../lib/format";
import { goodness, inkOn, ramp, type ScoreScale } from "../../lib/ramp";
import { ErrorBar } from "../../marks/ErrorBar";

type Finalist = Schemas["Finalist"];

interface Props {
  problem: Problem;
  finalists: Finalist[];
  chosen: number | null;
  inspected: number | null;
  onChoose: (id: number) => void;
  onInspect: (id: number) => void;
}

/** Finalists as rows, folds as columns; mean ± standard error on one axis; cost and sightline beside. */
export function FoldMatrix({ problem, finalists, chosen, inspected, onChoose, onInspect }: Props) {
  const larger = problem.brief.larger_is_better;
  const folds = problem.brief.folds;
  const cells = useMemo(
    () =>
      spanOf(
        finalists.flatMap((f) => f.trial.scores),
        larger,
      ),
    [finalists, larger],
  );
  const span = useMemo(() => {
    const ends = finalists.flatMap((f) => [f.trial.mean! - (f.trial.error ?? 0), f.trial.mean! + (f.trial.error ?? 0)]);
    return { low: Math.min(...ends), high: Math.max(...ends) };
  }, [finalists]);
  const best = finalists[0]!;
  const bar = best.trial.error === null ? null : best.trial.mean! + (larger ? -1 : 1) * best.trial.error;
  return (
    <div className="sheet" style={{ overflow: "auto", maxHeight: "calc(100vh - 250px)" }}>
      <table style={{ borderCollapse: "collapse", width: "100%" }} aria-label="Fold matrix">
        <thead className="small soft" style={{ position: "sticky", top: 0, background: "var(--sunk)", zIndex: 1 }}>
          <tr>
            <th style={head}>Finalist</th>
            {Array.from({ length: folds }, (_, i) => (
              <th key={i} style={{ ...head, textAlign: "center" }}>
                {folds <= 12 ? `fold ${i + 1}` : i + 1}
              </th>
            ))}
            <th style={head}>mean ± standard error</th>
            <th style={head}>cost</th>
            <th style={head}>sightline</th>
          </tr>
        </thead>
        <tbody>
          {finalists.map(({ trial, search_number, learner, is_baseline }) => (
            <tr
              key={trial.id}
              data-finalist={trial.id}
              aria-selected={trial.id === chosen}
              onClick={() => onChoose(trial.id)}
              style={{
                cursor: "pointer",
                borderTop: "1px solid var(--rule)",
                background:
                  trial.id === chosen ? "var(--honey-tint)" : trial.id === inspected ? "var(--spruce-tint)" : undefined,
              }}
            >
              <th scope="row" style={{ textAlign: "left", padding: "6px 10px", fontWeight: 500, whiteSpace: "nowrap" }}>
                <button
                  className="plain-button"
                  onClick={(event) => {
                    event.stopPropagation();
                    onInspect(trial.id);
                  }}
                  title="Inspect"
                >
                  <b>{is_baseline ? "Baseline" : `Trial ${trial.number}`}</b>
                  {trial.shortlisted && <span className="honey"> ◆</span>}
                  <span className="small soft" style={{ display: "block" }}>
                    search {search_number}, {learner}
                  </span>
                </button>
              </th>
              {trial.scores.map((value, i) => (
                <Cell key={i} value={value} scale={cells} error={trial.error} plain={folds > 12} />
              ))}
              <td style={{ padding: "0 10px", minWidth: 190 }}>
                <ErrorBar
                  mean={trial.mean!}
                  error={trial.error}
                  low={span.low}
                  high={span.high}
                  mark={bar}
                  dashed={is_baseline}
                />
                <span className="small">{withError(trial.mean, trial.error)}</span>
              </td>
              <td className="small" style={{ padding: "0 10px", whiteSpace: "nowrap" }}>
                {duration(trial.seconds / folds)} a fit
              </td>
              <td className="small soft" style={{ padding: "0 10px", whiteSpace: "nowrap" }}>
                {is_baseline ? "–" : `${trial.seen} seen · ${trial.pending}`}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}

const head = { textAlign: "left", padding: "6px 10px", fontWeight: 500, whiteSpace: "nowrap" } as const;

function Cell({
  value,
  scale,
  error,
  plain,
}: {
  value: number | null;
  scale: ScoreScale;
  error: number | null;
  plain: boolean;
}) {
  if (value === null)
    return (
      <td className="soft" style={{ textAlign: "center" }}>
        –
      </td>
    );
  const share = goodness(value, scale);
  return (
    <td
      style={{
        background: ramp(share),
        color: inkOn(share),
        textAlign: "center",
        minWidth: plain ? 14 : 58,
        border: "1px solid var(--sheet)",
      }}
      className="small"
      title={score(value)}
    >
      {plain ? "" : score(value, error)}
    </td>
  );
}

/** All folds of all finalists on one ramp. */
function spanOf(values: (number | null)[], larger: boolean): ScoreScale {
  const known = values.filter((v): v is number => v !== null);
  const low = Math.min(...known);
  const high = Math.max(...known);
  return high > low ? { low, high, larger } : { low: low - 0.5, high: high + 0.5, larger };
}
