import Button from "@mui/material/Button";
import { useMemo } from "react";
import { isTable, type Schemas } from "../../api/client";
import { useShortlist, weighingQuery } from "../../api/decisions";
import { usePlace } from "../../ui/place";
import { plural } from "../../lib/format";
import type { BenchProps } from "./bench";
import { FoldMatrix } from "./FoldMatrix";
import { Limit, Region } from "./Knobs";
import { Rejudge } from "./Rejudge";
import { useWeighing } from "./useWeighing";

type By = Schemas["ShortlistRequest"]["by"];
const BY: [By, string][] = [
  ["rules", "add what the rules choose"],
  ["one standard error", "add all within one standard error"],
  ["indistinguishable", "add all not surely worse than the leader"],
  ["front", "add the trade-off front"],
  ["nothing", "empty it"],
];

/** Finalists fold by fold, with what they are weighed by. */
export function Matrix({ problem, found, chosen, pick }: BenchProps) {
  const { weighing, set } = useWeighing();
  const { inspect } = usePlace();
  const shortlist = useShortlist(problem.id);
  const shortlisted = useMemo(() => found.finalists.filter((f) => f.trial.shortlisted), [found]);
  const more = found.scored > weighing.top && weighing.top < 500;
  return (
    <>
      <div className="row small wrap lines-apart">
        <Region found={found} />
        <Limit found={found} />
        <span className="grow" />
        <span className="soft">
          {plural(found.scored, "scored trial")}
          {found.admitted < found.scored && ` · ${found.admitted} keep the limit`}
        </span>
        <select
          aria-label="Shortlist by rule"
          className="choice-field"
          value=""
          onChange={(e) => shortlist.mutate({ by: e.target.value as By, weighing: weighingQuery(weighing) })}
        >
          <option value="" disabled>
            ◆ {shortlisted.length} shortlisted
          </option>
          {BY.map(([by, words]) => (
            <option key={by} value={by} disabled={by === "front" && found.beside === null}>
              {words}
            </option>
          ))}
        </select>
        {more && (
          <Button size="small" onClick={() => set({ top: Math.min(weighing.top < 50 ? 50 : 500, 500) })}>
            Show more
          </Button>
        )}
      </div>
      {found.leader === null && (
        <p role="alert" className="ember">
          No trial keeps the limit. Loosen it, or search with it in mind.
        </p>
      )}
      <FoldMatrix
        problem={problem}
        found={found}
        chosen={chosen.trial.id}
        onChoose={(trial) => pick({ trial, rule: "by hand" })}
        onInspect={(trial) => {
          pick({ trial, rule: "by hand" });
          inspect(trial);
        }}
      />
      {isTable(problem) && <Rejudge problem={problem} found={found} />}
    </>
  );
}
