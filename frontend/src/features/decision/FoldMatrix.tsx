import { useVirtualizer } from "@tanstack/react-virtual";
import { useEffect, useMemo, useRef } from "react";
import type { Problem } from "../../api/client";
import { useTrialRemarks } from "../../api/trials";
import type { Finalist, Finalists } from "../../api/decisions";
import { bytes, count, duration, plural, score, withError } from "../../lib/format";
import { foldEffects, goodness, inkOn, ramp, type ScoreScale } from "../../lib/ramp";
import { Chances } from "../../charts/Chances";
import { ErrorBar } from "../../charts/ErrorBar";

interface Props {
  problem: Problem;
  found: Finalists;
  chosen: number;
  onChoose: (id: number) => void;
  onInspect: (id: number) => void;
}

interface Spans {
  cells: ScoreScale;
  means: { low: number; high: number };
  bar: number | null;
  typical: number; // the mean of all means
  base: number | null; // the baseline's mean
  folds: number;
}

const ROW = 56;
const MORE = 30; // for each further metric that decides
const FEW = 12; // folds up to which their scores are written out

/** Finalists as rows, folds as columns; mean ± standard error on one axis; against the leader; cost and sightline. */
export function FoldMatrix({ problem, found, chosen, onChoose, onInspect }: Props) {
  const scroller = useRef<HTMLDivElement>(null);
  const { finalists } = found;
  const spans = useMemo(() => spansOf(problem, found), [problem, found]);
  const height = ROW + MORE * Math.max(found.decides.length - 1, 0);
  const virtual = useVirtualizer({
    count: finalists.length,
    getScrollElement: () => scroller.current,
    estimateSize: () => height,
    overscan: 6,
  });
  useMatrixKeys(finalists, chosen, onChoose, onInspect);
  const at = finalists.findIndex((f) => f.trial.id === chosen);
  useEffect(() => virtual.scrollToIndex(Math.max(at, 0)), [at, virtual]);
  const few = spans.folds <= FEW;
  const grid = {
    gridTemplateColumns: `116px minmax(${few ? 43 * spans.folds : 260}px, 1fr) 168px 134px 108px 44px`,
    minWidth: 630 + (few ? 43 * spans.folds : 260),
  };
  return (
    <div className="sheet cuts-off">
      <div
        className="scrolls fold-matrix"
        ref={scroller}
        role="table"
        aria-label="Fold matrix"
        aria-rowcount={finalists.length + 1}
      >
        <div role="row" className="small soft sunk head-row finalist-row" style={grid}>
          <span role="columnheader">finalist</span>
          <span
            role="columnheader"
            className="grid"
            style={{ gridTemplateColumns: `repeat(${few ? spans.folds : 1}, 1fr)` }}
          >
            {few
              ? Array.from({ length: spans.folds }, (_, i) => (
                  <span className="centred" key={i}>
                    {spans.folds > 7 ? i + 1 : `fold ${i + 1}`}
                  </span>
                ))
              : `folds 1 to ${spans.folds}`}
          </span>
          <span role="columnheader">mean ± error</span>
          <span
            role="columnheader"
            className="one-line"
            title="How likely each is worse, the same or better than the leader"
          >
            <span className="ember">worse</span> · same · <span className="spruce">better</span>
          </span>
          <span
            role="columnheader"
            title="Seconds of a fit; below them, seconds to predict 1,000 rows, and the size of the model"
          >
            costs
          </span>
          <span role="columnheader" title="Results that were known when it was proposed (its sightline)">
            knew
          </span>
        </div>
        <div className="anchor" style={{ height: virtual.getTotalSize() }}>
          {virtual.getVirtualItems().map((item) => {
            const f = finalists[item.index]!;
            const id = f.trial.id;
            return (
              <div
                className="ruled clickable list-row finalist-row"
                key={id}
                role="row"
                aria-rowindex={item.index + 2}
                aria-selected={id === chosen}
                data-finalist={id}
                onClick={() => onChoose(id)}
                style={{
                  ...grid,
                  height,
                  transform: `translateY(${item.start}px)`,
                  opacity: f.admitted ? 1 : 0.45,
                  background: id === chosen ? "var(--honey-tint)" : undefined,
                }}
              >
                <Name f={f} onInspect={onInspect} />
                <Folds f={f} spans={spans} few={few} />
                <Mean
                  f={f}
                  spans={spans}
                  beside={[finalists[item.index - 1]?.trial.mean, finalists[item.index + 1]?.trial.mean]}
                />
                <span role="cell">
                  <Against f={f} leader={found.leader} />
                  {f.metrics.map((m) => (
                    <Beside key={m.measure} metric={m} />
                  ))}
                </span>
                <span className="small one-line tight" role="cell" title={costs(f)}>
                  {duration(f.fit_seconds)} a fit
                  <span className="soft block">
                    {!f.prediction_seconds ? "" : `${duration(f.prediction_seconds)} · `}
                    {bytes(f.model_bytes)}
                  </span>
                </span>
                <span
                  className="small soft"
                  role="cell"
                  title={
                    f.is_baseline
                      ? "Nobody proposed it: these are the defaults"
                      : `Proposed with ${plural(f.trial.seen, "result")} known and ${plural(f.trial.pending, "trial")} still under way`
                  }
                >
                  {f.is_baseline ? "–" : count(f.trial.seen)}
                </span>
              </div>
            );
          })}
        </div>
      </div>
    </div>
  );
}

const costs = (f: Finalist) =>
  `A fit takes ${duration(f.fit_seconds)}. ` +
  (f.prediction_seconds ? `It predicts 1,000 rows in ${duration(f.prediction_seconds)}. ` : "") +
  (f.model_bytes ? `Its model has ${bytes(f.model_bytes)}.` : "");

function Name({ f, onInspect }: { f: Finalist; onInspect: (id: number) => void }) {
  return (
    <span role="rowheader">
      <button
        className="plain-button"
        onClick={(event) => {
          event.stopPropagation();
          onInspect(f.trial.id);
        }}
        title="Inspect"
      >
        <b>{f.is_baseline ? "Baseline" : `Trial ${f.trial.number}`}</b>
        {f.trial.shortlisted && <span className="honey"> ◆</span>}
        <span className="small soft cut block column-name">
          {f.search_number ? `search ${f.search_number}` : "before any search"}
          {f.learner && `, ${f.learner}`}
        </span>
      </button>
    </span>
  );
}

function Folds({ f, spans, few }: { f: Finalist; spans: Spans; few: boolean }) {
  return (
    <span
      role="cell"
      className="grid"
      style={{ gridTemplateColumns: `repeat(${spans.folds}, 1fr)`, height: few ? 34 : 26, gap: few ? 1 : 0 }}
    >
      {f.trial.scores.map((value, i) => {
        if (value === null) return <span key={i}>–</span>;
        const share = goodness(value, spans.cells, i);
        return (
          <span
            key={i}
            className="small shrinks grid in-middle"
            title={`fold ${i + 1}: ${score(value)}, ${better(value, i, spans)}`}
            style={{ background: ramp(share), color: inkOn(share) }}
          >
            {few && spans.folds <= 10 ? score(value, f.trial.standard_error) : ""}
          </span>
        );
      })}
    </span>
  );
}

function Mean({ f, spans, beside }: { f: Finalist; spans: Spans; beside: (number | null | undefined)[] }) {
  return (
    <span role="cell">
      <ErrorBar
        mean={f.trial.mean!}
        standard_error={f.trial.standard_error}
        low={spans.means.low}
        high={spans.means.high}
        mark={spans.bar}
        base={spans.base}
        width={166}
        dashed={f.is_baseline}
        again={f.rejudged}
      />
      <span className="small cut block">
        {f.rejudged ? (
          <>
            {score(f.trial.mean, f.trial.standard_error, beside)} →{" "}
            <b>
              {score(f.rejudged.mean, f.trial.standard_error)} ±{" "}
              {score(f.rejudged.standard_error, f.trial.standard_error)}
            </b>
          </>
        ) : (
          withError(f.trial.mean, f.trial.standard_error, beside)
        )}
      </span>
    </span>
  );
}

function Against({ f, leader }: { f: Finalist; leader: number | null }) {
  if (f.trial.id === leader) return <span className="small honey block">the leader</span>;
  if (!f.comparison) return null;
  const { better, same, worse, words, p_adjusted, basis } = f.comparison;
  return (
    <span
      className="block"
      title={`${words}. Corrected resampled t test: p = ${p_adjusted.toFixed(3)} after Holm; on ${basis === "folds" ? "the folds of the search" : "fresh folds"}`}
    >
      <Chances better={better} same={same} worse={worse} width={126} />
      <span className="small soft block tiny tight">{words}</span>
    </span>
  );
}

/** A metric that decides beside the score, and how likely it is worse, the same or better than the leader's. */
function Beside({ metric: { measure, value, comparison } }: { metric: Finalist["metrics"][number] }) {
  return (
    <span className="block" data-beside={measure}>
      {comparison && <Chances {...comparison} width={126} />}
      <span className="small soft block tiny cut" title={`${measure} ${score(value)}`}>
        {measure} <b>{score(value)}</b>
      </span>
    </span>
  );
}

/** From end to end of the means and errors; far behind the usual ones it is cut, for these have to be told apart. */
function axis(ends: number[], larger: boolean) {
  const sorted = [...ends].sort((a, b) => a - b);
  const low = sorted[0]!;
  const high = sorted[sorted.length - 1]!;
  const middle = sorted[Math.floor(sorted.length / 2)]!;
  return larger
    ? { low: Math.max(low, high - 3 * (high - middle)), high }
    : { low, high: Math.min(high, low + 3 * (middle - low)) };
}

/** What a fold's score says of the trial: how it compares with the others on that fold. */
function better(value: number, fold: number, spans: Spans): string {
  const usual = spans.typical + (spans.cells.effects?.[fold] ?? 0);
  const ahead = spans.cells.larger ? value - usual : usual - value;
  return `${score(Math.abs(ahead))} ${ahead >= 0 ? "better" : "worse"} than finalists are on it on average`;
}

/** All folds of all finalists on one ramp, without what makes some folds easier; all means on one axis. */
function spansOf(problem: Problem, found: Finalists): Spans {
  const larger = problem.judging.larger_is_better;
  const { finalists } = found;
  const effects = foldEffects(finalists.map((f) => f.trial.scores));
  const without = finalists.flatMap((f) =>
    f.trial.scores.flatMap((value, fold) => (value === null ? [] : [value - (effects[fold] ?? 0)])),
  );
  const low = Math.min(...without);
  const high = Math.max(...without);
  const ends = finalists.flatMap((f) => [
    f.trial.mean! - (f.trial.standard_error ?? 0),
    f.trial.mean! + (f.trial.standard_error ?? 0),
    ...(f.rejudged
      ? [f.rejudged.mean - (f.rejudged.standard_error ?? 0), f.rejudged.mean + (f.rejudged.standard_error ?? 0)]
      : []),
  ]);
  const best = finalists.find((f) => f.trial.id === found.leader) ?? finalists[0]!;
  return {
    cells: { ...(high > low ? { low, high } : { low: low - 0.5, high: high + 0.5 }), larger, effects },
    typical: finalists.reduce((sum, f) => sum + f.trial.mean!, 0) / finalists.length,
    base: finalists.find((f) => f.is_baseline)?.trial.mean ?? null,
    means: axis(ends, larger),
    bar: best.trial.standard_error === null ? null : best.trial.mean! + (larger ? -1 : 1) * best.trial.standard_error,
    folds: problem.judging.folds,
  };
}

/** j, k: next and previous finalist; Enter: inspect; s: shortlist. */
function useMatrixKeys(
  finalists: Finalist[],
  chosen: number,
  onChoose: (id: number) => void,
  onInspect: (id: number) => void,
) {
  const remarks = useTrialRemarks(chosen);
  useEffect(() => {
    const onKey = (event: KeyboardEvent) => {
      const target = event.target as HTMLElement;
      if (event.ctrlKey || event.metaKey || event.altKey || /^(INPUT|TEXTAREA|SELECT)$/.test(target.tagName)) return;
      const at = finalists.findIndex((f) => f.trial.id === chosen);
      if (event.key === "j" || event.key === "k") {
        const next = Math.min(Math.max(at + (event.key === "j" ? 1 : -1), 0), finalists.length - 1);
        onChoose(finalists[next]!.trial.id);
      } else if (event.key === "Enter" && target.tagName !== "BUTTON") onInspect(chosen);
      else if (event.key === "s" && at >= 0) remarks.mutate({ shortlisted: !finalists[at]!.trial.shortlisted });
    };
    window.addEventListener("keydown", onKey);
    return () => window.removeEventListener("keydown", onKey);
  }, [finalists, chosen, onChoose, onInspect, remarks]);
}
