import { useVirtualizer } from "@tanstack/react-virtual";
import { useEffect, useMemo, useRef, useState, type RefObject } from "react";
import type { Problem, TrialRow } from "../../api/client";
import { useTrialRemarks } from "../../api/trials";
import { count, duration, plural, scalar, score, withError } from "../../lib/format";
import { scoreScale } from "../../lib/ramp";
import { FoldRing } from "../../charts/FoldRing";
import { useRows, type Ordering, type PagedTrial, type Source } from "../../api/trials";

interface Props {
  problem: Problem;
  of: Source;
  searched: string[] | null; // settings that are columns; null: as the server says
  best: number | null; // the id of the trial that leads
  folds: number;
  means: (number | null)[];
  effects: number[] | undefined;
  ordering: Ordering;
  onSort: (column: string) => void;
  onError: (message: string | null) => void;
  filter: RefObject<HTMLInputElement | null>;
  selected: number | null;
  inspect: (id: number | null) => void;
}

const ROW = 38;

/** What a short header stands for. */
const SAID: Record<string, string> = {
  seen: "the results that were known when it was proposed (its sightline)",
  seconds: "the seconds of all its fits",
};

/** All trials of a search, or of all searches of a problem, as one continuous list; only what is seen is fetched and drawn. */
export function TrialTable({
  problem,
  of,
  searched,
  best,
  folds,
  means,
  effects,
  ordering,
  onSort,
  onError,
  filter,
  selected,
  inspect,
}: Props) {
  const scroller = useRef<HTMLDivElement>(null);
  const [seen, setSeen] = useState({ first: 0, last: 30 });
  const { rows, total, settings, error } = useLastGood(of, ordering, seen);
  const parameters = searched ?? settings ?? [];
  const together = "problem" in of;
  const { recorded } = problem.judging;
  const scale = useMemo(() => scoreScale(means, problem.judging.larger_is_better, effects), [means, effects, problem]);
  const virtual = useVirtualizer({
    count: total ?? 0,
    getScrollElement: () => scroller.current,
    estimateSize: () => ROW,
    overscan: 12,
    onChange: (v) => {
      const range = v.range;
      if (range)
        setSeen((held) =>
          held.first === range.startIndex && held.last === range.endIndex
            ? held
            : { first: range.startIndex, last: range.endIndex },
        );
    },
  });
  useEffect(() => onError(error?.message ?? null), [error, onError]);
  const [at, setAt] = useState(0);
  useTableKeys({
    rows,
    total: total ?? 0,
    at,
    setAt,
    inspect,
    selected,
    filter,
    scrollTo: (i) => virtual.scrollToIndex(i),
  });
  const grid = {
    display: "grid",
    gridTemplateColumns: `${together ? "56px " : ""}64px 44px 172px 84px repeat(${parameters.length + recorded.length}, minmax(76px, 1fr)) 64px 28px`,
    alignItems: "center",
    gap: 10,
    padding: "0 12px",
    minWidth: 450 + (parameters.length + recorded.length) * 90,
  } as const;
  const columns: [string, string][] = [
    ...(together ? [["search", "Search"] as [string, string]] : []),
    ["number", "Trial"],
    ["", "Folds"],
    ["score", problem.judging.metric_label],
    ["seconds", "Cost"],
    ...recorded.map((m): [string, string] => [m, m]),
    ...parameters.map((p): [string, string] => [p, p]),
    ["seen", "Knew"],
  ];
  return (
    <div
      className="sheet"
      style={{ overflow: "hidden", display: "grid", gridTemplateRows: "1fr auto", minHeight: 200 }}
    >
      <div
        className="scrolls"
        ref={scroller}

        role="table"
        aria-label="Trials"
        aria-rowcount={(total ?? 0) + 1}
      >
        <div className="sunk" role="row" style={{ ...grid, position: "sticky", top: 0, height: 32, zIndex: 1 }}>
          {columns.map(([key, label], i) => (
            <span
              key={key || i}
              role="columnheader"
              aria-sort={ordering.sort === key ? (ordering.descending ? "descending" : "ascending") : undefined}
              className="cut"
            >
              {key ? (
                <button
                  className="plain-button small"
                  style={{ fontWeight: ordering.sort === key ? 700 : 500 }}
                  onClick={() => onSort(key)}
                  title={`Sort by ${SAID[key] ?? label}`}
                >
                  {label}
                  {ordering.sort === key && (ordering.descending ? " ▾" : " ▴")}
                </button>
              ) : (
                <span className="unseen">{label}</span>
              )}
            </span>
          ))}
          <span role="columnheader">
            <span className="unseen">Shortlisted</span>
          </span>
        </div>
        <div className="anchor" style={{ height: virtual.getTotalSize() }}>
          {virtual.getVirtualItems().map((item) => {
            const trial = rows.get(item.index);
            return (
              <div
                className="underlined clickable"
                key={item.key}
                role="row"
                aria-rowindex={item.index + 2}
                aria-selected={trial?.id === selected}
                data-trial={trial?.number}
                onClick={() => {
                  setAt(item.index);
                  if (trial) inspect(trial.id);
                }}
                style={{
                  ...grid,
                  position: "absolute",
                  top: 0,
                  left: 0,
                  right: 0,
                  height: ROW,
                  transform: `translateY(${item.start}px)`,
                  background:
                    trial && trial.id === selected
                      ? "var(--spruce-tint)"
                      : item.index === at
                        ? "var(--sunk)"
                        : undefined,
                }}
              >
                {trial ? (
                  <Cells
                    trial={trial}
                    beside={[rows.get(item.index - 1)?.mean, rows.get(item.index + 1)?.mean]}
                    together={together}
                    best={best === trial.id}
                    folds={folds}
                    recorded={recorded}
                    parameters={parameters}
                    scale={scale}
                  />
                ) : (
                  <span className="soft">…</span>
                )}
              </div>
            );
          })}
        </div>
        {total === 0 && <p className="soft roomy">No trial matches the filter.</p>}
      </div>
      <p className="small soft ruled" style={{ padding: "6px 12px" }}>
        {total === null ? "…" : `${count(total)} trials`} · <span className="key">j</span>{" "}
        <span className="key">k</span> move, <span className="key">Enter</span> inspects, <span className="key">s</span>{" "}
        shortlists, <span className="key">/</span> filters
      </p>
    </div>
  );
}

function Cells({
  trial,
  beside,
  together,
  best,
  folds,
  recorded,
  parameters,
  scale,
}: {
  trial: PagedTrial;
  beside: (number | null | undefined)[]; // scores of the rows next to it
  together: boolean;
  best: boolean;
  folds: number;
  recorded: string[];
  parameters: string[];
  scale: ReturnType<typeof scoreScale>;
}) {
  return (
    <>
      {together && (
        <span role="cell" className="mono soft">
          {trial.search_number || "–"}
        </span>
      )}
      <span role="cell" className="mono">
        {trial.origin === "baseline" ? "base" : trial.number}
      </span>
      <span role="cell">
        <FoldRing scores={trial.scores} folds={folds} state={trial.state} scale={scale} />
      </span>
      <span
        role="cell"
        className={best ? "honey" : trial.state === "failed" ? "ember cut" : "cut"}
        style={{ fontWeight: best ? 700 : 500 }}
        title={trial.reason}
      >
        <Score trial={trial} beside={beside} />
      </span>
      <span role="cell" className="small">
        {duration(trial.seconds)}
      </span>
      {recorded.map((metric) => (
        <span key={metric} role="cell" className="mono small">
          {score(trial.recorded[metric])}
        </span>
      ))}
      {parameters.map((name) => (
        <span key={name} role="cell" className="mono cut" title={scalar(trial.configuration[name])}>
          {name in trial.configuration ? scalar(trial.configuration[name]) : ""}
        </span>
      ))}
      <span
        role="cell"
        className="small soft"
        title={`Proposed with ${plural(trial.seen, "result")} known and ${plural(trial.pending, "trial")} still under way`}
      >
        {count(trial.seen)}
      </span>
      <span role="cell" aria-label={trial.shortlisted ? "on the shortlist" : undefined} className="honey">
        {trial.shortlisted ? "◆" : ""}
      </span>
    </>
  );
}

/** The mean; of a trial that ended before, its state, what its folds had come to, and why. */
function Score({ trial, beside }: { trial: PagedTrial; beside: (number | null | undefined)[] }) {
  if (trial.mean !== null) return withError(trial.mean, trial.standard_error, beside);
  const folds = trial.scores.filter((s): s is number => s !== null);
  const part = folds.length ? score(folds.reduce((sum, s) => sum + s, 0) / folds.length) : "";
  return (
    <>
      {trial.state}
      {part && (
        <span className="soft" title={`${part} is the mean of the folds so far. ${trial.reason}`}>
          {" "}
          · {part}
        </span>
      )}
      {!part && trial.reason && <span className="soft"> · {trial.reason}</span>}
    </>
  );
}

/** The rows as they are asked for; where that is refused, those of the last filter that was understood. */
function useLastGood(of: Source, ordering: Ordering, seen: { first: number; last: number }) {
  const [good, setGood] = useState(ordering);
  const asked = useRows(of, ordering, seen.first, seen.last);
  const held = useRows(of, good, seen.first, seen.last);
  const same = good.where === ordering.where && good.sort === ordering.sort && good.descending === ordering.descending;
  if (!same && !asked.error && asked.total !== null) setGood(ordering);
  return asked.error ? { ...held, error: asked.error } : asked;
}

interface Keys {
  rows: Map<number, TrialRow>;
  total: number;
  at: number;
  setAt: (index: number) => void;
  inspect: (id: number | null) => void;
  selected: number | null;
  filter: RefObject<HTMLInputElement | null>;
  scrollTo: (index: number) => void;
}

function useTableKeys({ rows, total, at, setAt, inspect, selected, filter, scrollTo }: Keys) {
  const here = rows.get(at);
  const remarks = useTrialRemarks(here?.id ?? 0);
  useEffect(() => {
    const onKey = (event: KeyboardEvent) => {
      const typing = event.target instanceof HTMLElement && /^(INPUT|TEXTAREA|SELECT)$/.test(event.target.tagName);
      if (typing || event.ctrlKey || event.metaKey || event.altKey) return;
      const step = { j: 1, k: -1, ArrowDown: 1, ArrowUp: -1 }[event.key];
      if (step !== undefined) {
        const next = Math.min(Math.max(at + step, 0), total - 1);
        setAt(next);
        scrollTo(next);
        const trial = rows.get(next);
        if (selected !== null && trial) inspect(trial.id);
      } else if (event.key === "Enter" && here) inspect(here.id);
      else if (event.key === "s" && here) remarks.mutate({ shortlisted: !here.shortlisted });
      else if (event.key === "/") filter.current?.focus();
      else return;
      event.preventDefault();
    };
    window.addEventListener("keydown", onKey);
    return () => window.removeEventListener("keydown", onKey);
  });
}
