import { useVirtualizer } from "@tanstack/react-virtual";
import { useEffect, useMemo, useRef, useState, type RefObject } from "react";
import type { Problem } from "../../api/client";
import { useRows, type Ordering, type Source } from "../../api/trials";
import { count } from "../../lib/format";
import { scoreScale } from "../../lib/ramp";
import { TrialCell } from "./TrialCell";
import { arranged, columnsOf, offsets, type Arrangement } from "./trialColumns";
import { useTableKeys } from "./useTableKeys";

interface Props {
  problem: Problem;
  of: Source;
  recorded: string[]; // what is measured beside the score, as columns
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
  arrangement: Arrangement;
  marked: number[]; // for comparing
  mark: (id: number) => void;
  tools: React.ReactNode;
}

const ROW = 38;
const GAP = 10;
const EDGE = 12;
const MARKS = 80; // pixels of the last two cells

/** What a short header stands for. */
const SAID: Record<string, string> = {
  seen: "the results that were known when it was proposed (its sightline)",
  seconds: "the seconds of all its fits",
};

/** All trials of a search, or of all searches of a problem, as one continuous list; only what is seen is fetched and drawn. */
export function TrialTable({
  problem,
  of,
  recorded,
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
  arrangement,
  marked,
  mark,
  tools,
}: Props) {
  const scroller = useRef<HTMLDivElement>(null);
  const [seen, setSeen] = useState({ first: 0, last: 30 });
  const { rows, total, settings, error } = useLastGood(of, ordering, seen);
  const parameters = searched ?? settings ?? [];
  const together = "problem" in of;
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
    mark,
    selected,
    filter,
    scrollTo: (i) => virtual.scrollToIndex(i),
  });
  const columns = arranged(
    columnsOf({ together, metric: problem.judging.metric_label, recorded, settings: parameters }),
    arrangement,
  );
  const left = offsets(columns, arrangement.pinned, GAP, EDGE);
  const pinned = (key: string, background: string) => (left.has(key) ? { left: left.get(key), background } : undefined);
  const grid = {
    gridTemplateColumns: `${columns.map((column) => column.width).join(" ")} 24px 22px`,
    gap: GAP,
    padding: `0 ${EDGE}px`,
    minWidth: columns.reduce((sum, column) => sum + column.pixels + GAP, MARKS + 2 * EDGE),
  };
  return (
    <div className="sheet trial-table">
      <div className="scrolls" ref={scroller} role="table" aria-label="Trials" aria-rowcount={(total ?? 0) + 1}>
        <div className="sunk head-row trial-row" role="row" style={grid}>
          {columns.map(({ key, label }) => (
            <span
              key={key}
              role="columnheader"
              aria-sort={ordering.sort === key ? (ordering.descending ? "descending" : "ascending") : undefined}
              className={left.has(key) ? "cut pinned" : "cut"}
              style={pinned(key, "var(--sunk)")}
            >
              {key === "folds" ? (
                <span className="unseen">{label}</span>
              ) : (
                <button
                  className="plain-button small"
                  style={{ fontWeight: ordering.sort === key ? 700 : 500 }}
                  onClick={() => onSort(key)}
                  title={`Sort by ${SAID[key] ?? label}`}
                >
                  {label}
                  {ordering.sort === key && (ordering.descending ? " ▾" : " ▴")}
                </button>
              )}
            </span>
          ))}
          <span role="columnheader">
            <span className="unseen">Compare</span>
          </span>
          <span role="columnheader">
            <span className="unseen">Shortlisted</span>
          </span>
        </div>
        <div className="anchor" style={{ height: virtual.getTotalSize() }}>
          {virtual.getVirtualItems().map((item) => {
            const trial = rows.get(item.index);
            const background =
              trial && trial.id === selected
                ? "var(--spruce-tint)"
                : item.index === at
                  ? "var(--sunk)"
                  : "var(--sheet)";
            return (
              <div
                className="underlined clickable list-row trial-row"
                key={item.key}
                role="row"
                aria-rowindex={item.index + 2}
                aria-selected={trial?.id === selected}
                data-trial={trial?.number}
                onClick={() => {
                  setAt(item.index);
                  if (trial) inspect(trial.id);
                }}
                style={{ ...grid, height: ROW, transform: `translateY(${item.start}px)`, background }}
              >
                {trial ? (
                  <>
                    {columns.map((column) => (
                      <TrialCell
                        key={column.key}
                        trial={trial}
                        column={column}
                        beside={[rows.get(item.index - 1)?.mean, rows.get(item.index + 1)?.mean]}
                        best={best === trial.id}
                        folds={folds}
                        scale={scale}
                        pin={pinned(column.key, background)}
                      />
                    ))}
                    <span role="cell" onClick={(event) => event.stopPropagation()}>
                      <input
                        type="checkbox"
                        tabIndex={-1}
                        checked={marked.includes(trial.id)}
                        onChange={() => mark(trial.id)}
                        aria-label={`Compare trial ${trial.number}`}
                      />
                    </span>
                    <span role="cell" aria-label={trial.shortlisted ? "on the shortlist" : undefined} className="honey">
                      {trial.shortlisted ? "◆" : ""}
                    </span>
                  </>
                ) : (
                  <span className="soft">…</span>
                )}
              </div>
            );
          })}
        </div>
        {total === 0 && <p className="soft roomy">No trial matches the filter.</p>}
      </div>
      <div className="row small soft ruled foot">
        <span className="grow">
          {total === null ? "…" : `${count(total)} trials`} · <span className="key">j</span>{" "}
          <span className="key">k</span> move, <span className="key">Enter</span> inspects,{" "}
          <span className="key">s</span> shortlists, <span className="key">x</span> compares,{" "}
          <span className="key">/</span> filters
        </span>
        {tools}
      </div>
    </div>
  );
}

/** The rows as they are asked for; where that is refused, those of the last filter that was understood. */
function useLastGood(of: Source, ordering: Ordering, seen: { first: number; last: number }) {
  const [good, setGood] = useState(ordering);
  const asked = useRows(of, ordering, seen.first, seen.last);
  const held = useRows(of, good, seen.first, seen.last);
  const same = (["where", "sort", "descending", "among"] as const).every((key) => good[key] === ordering[key]);
  if (!same && !asked.error && asked.total !== null) setGood(ordering);
  return asked.error ? { ...held, error: asked.error } : asked;
}
