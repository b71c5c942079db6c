import { useState, type RefObject } from "react";
import { usePoints } from "../../api/searches";
import type { Ordering } from "../../api/trials";
import { readKept, writeKept } from "../../lib/kept";
import { useDebounced } from "../../ui/useDebounced";
import { Columns } from "./Columns";
import { Compare } from "./Compare";
import type { Looked } from "./looked";
import { TrialTable } from "./TrialTable";
import { PLAIN, columnsOf, type Arrangement } from "./trialColumns";
import type { Selection } from "./useSelection";

const MOST_COMPARED = 5;

interface Props extends Looked {
  selection: Selection;
  filter: RefObject<HTMLInputElement | null>;
  onError: (message: string | null) => void;
}

/** Every trial as a table: sorted, filtered, arranged, and compared side by side. */
export function TrialsView({ problem, search, trial, inspect, selection, filter, onError }: Props) {
  const [ordering, setOrdering] = useState<Omit<Ordering, "where">>({ sort: "score", descending: true });
  const { together, where, picked, compare, setCompare } = selection;
  const asked = useDebounced(where, 250);
  const points = usePoints(search.id).data;
  const key = `pellux-columns-${problem.id}`;
  const [arrangement, setArrangement] = useState<Arrangement>(() => ({ ...PLAIN, ...readKept<Arrangement>(key) }));
  const arrange = (next: Arrangement) => {
    setArrangement(next);
    writeKept(key, next);
  };
  const settings = together ? null : search.parameters.filter((p) => p.kind !== "fixed").map((p) => String(p.name));
  const recorded = [...new Set([...problem.judging.recorded, ...search.limits.map((limit) => limit.measure)])];
  const mark = (id: number) =>
    setCompare(compare.includes(id) ? compare.filter((one) => one !== id) : [...compare, id].slice(-MOST_COMPARED));
  return (
    <div className="trials-bench" data-compared={compare.length}>
      <TrialTable
        problem={problem}
        of={together ? { problem: problem.id } : { search: search.id }}
        recorded={recorded}
        searched={settings}
        best={(together ? problem.best : search.best)?.trial_id ?? null}
        folds={search.folds}
        means={points?.means ?? []}
        effects={points?.fold_effects}
        ordering={{ ...ordering, where: asked, ...(picked ? { among: picked.join(",") } : {}) }}
        onSort={(sort) =>
          setOrdering((held) => ({ sort, descending: held.sort === sort ? !held.descending : sort !== "number" }))
        }
        onError={onError}
        filter={filter}
        selected={trial}
        inspect={inspect}
        arrangement={arrangement}
        marked={compare}
        mark={mark}
        tools={
          <Columns
            columns={columnsOf({
              together,
              metric: problem.judging.metric_label,
              recorded,
              settings: settings ?? (points ? Object.keys(points.values) : []),
            })}
            arrangement={arrangement}
            onArrange={arrange}
          />
        }
      />
      {compare.length > 0 && (
        <Compare ids={compare} problem={problem} onLeave={mark} onEnd={() => setCompare([])} inspect={inspect} />
      )}
    </div>
  );
}
