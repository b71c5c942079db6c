import { useVirtualizer } from "@tanstack/react-virtual";
import { useEffect, useMemo, useRef, useState, type RefObject } from "react";
import type { Problem, Search, TrialRow } from "../../api/client";
import { useTrialRemarks } from "../../api/trials";
import { count, duration, scalar, withError } from "../../lib/format";
import { scoreScale } from "../../lib/ramp";
import { FoldRing } from "../../charts/FoldRing";
import { useRows, type Ordering } from "../../api/trials";

interface Props {
  problem: Problem;
  search: Search;
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

/** All trials of a search as one continuous list; only what is seen is fetched and drawn. */
export function TrialTable({
  problem,
  search,
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
  const { rows, total, error } = useLastGood(search.id, ordering, seen);
  const parameters = search.parameters.filter((p) => p.kind !== "fixed").map((p) => String(p.name));
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
    gridTemplateColumns: `64px 44px 172px 84px repeat(${parameters.length}, minmax(76px, 1fr)) 92px 28px`,
    alignItems: "center",
    gap: 10,
    padding: "0 12px",
    minWidth: 420 + parameters.length * 90,
  } as const;
  const columns: [string, string][] = [
    ["number", "Trial"],
    ["", ""],
    ["score", problem.judging.metric_label],
    ["seconds", "Cost"],
    ...parameters.map((p): [string, string] => [p, p]),
    ["seen", "Sightline"],
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
              {key && (
                <button
                  className="plain-button small"
                  style={{ fontWeight: ordering.sort === key ? 700 : 500 }}
                  onClick={() => onSort(key)}
                  title={`Sort by ${label}`}
                >
                  {label}
                  {ordering.sort === key && (ordering.descending ? " ▾" : " ▴")}
                </button>
              )}
            </span>
          ))}
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
                    search={search}
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
  search,
  parameters,
  scale,
}: {
  trial: TrialRow;
  beside: (number | null | undefined)[]; // scores of the rows next to it
  search: Search;
  parameters: string[];
  scale: ReturnType<typeof scoreScale>;
}) {
  const best = search.best?.trial_id === trial.id;
  return (
    <>
      <span role="cell" className="mono">
        {trial.origin === "baseline" ? "base" : trial.number}
      </span>
      <span role="cell">
        <FoldRing scores={trial.scores} folds={search.folds} state={trial.state} scale={scale} />
      </span>
      <span
        role="cell"
        className={best ? "honey" : trial.state === "failed" ? "ember cut" : "cut"}
        style={{ fontWeight: best ? 700 : 500 }}
        title={trial.reason}
      >
        {trial.mean === null ? trial.state : withError(trial.mean, trial.standard_error, beside)}
      </span>
      <span role="cell" className="small">
        {duration(trial.seconds)}
      </span>
      {parameters.map((name) => (
        <span key={name} role="cell" className="mono cut">
          {scalar(trial.configuration[name])}
        </span>
      ))}
      <span
        role="cell"
        className="small soft"
        title={`${trial.seen} results seen and ${trial.pending} pending when it was proposed`}
      >
        {trial.seen} seen · {trial.pending}
      </span>
      <span role="cell" aria-label={trial.shortlisted ? "on the shortlist" : undefined} className="honey">
        {trial.shortlisted ? "◆" : ""}
      </span>
    </>
  );
}

/** The rows as they are asked for; where that is refused, those of the last filter that was understood. */
function useLastGood(search: number, ordering: Ordering, seen: { first: number; last: number }) {
  const [good, setGood] = useState(ordering);
  const asked = useRows(search, ordering, seen.first, seen.last);
  const held = useRows(search, good, seen.first, seen.last);
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
