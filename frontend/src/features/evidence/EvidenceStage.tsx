import Button from "@mui/material/Button";
import TextField from "@mui/material/TextField";
import { useRef, useState } from "react";
import { Link, useSearchParams } from "react-router";
import type { Problem, Search } from "../../api/client";
import { usePoints } from "../../api/searches";
import { useChosen } from "../../ui/place";
import { useDebounced } from "../../ui/useDebounced";
import { Switch } from "../../ui/Switch";
import { FieldError } from "../../ui/FieldError";
import { TrialTable } from "./TrialTable";
import { WhatMattered } from "./WhatMattered";
import type { Ordering } from "../../api/trials";

export function EvidenceStage() {
  const { problemView, problemQuery, searchesQuery, chosen, trial, inspect } = useChosen();
  if (problemQuery.isError)
    return (
      <p className="stage ember" role="alert">
        {problemQuery.error.message}
      </p>
    );
  if (!problemView || searchesQuery.isPending) return <p className="stage soft">Gathering the trials …</p>;
  if (!chosen)
    return (
      <div className="stage col">
        <h1>No trials yet</h1>
        <p className="soft">Every trial of a search will stand here with its settings, fold scores and cost.</p>
        <p>
          <Link to={`/p/${problemView.id}/space`}>Lay out the space and launch</Link>
        </p>
      </div>
    );
  return <Trials key={chosen.id} problem={problemView} search={chosen} trial={trial} inspect={inspect} />;
}

function Trials({
  problem,
  search,
  trial,
  inspect,
}: {
  problem: Problem;
  search: Search;
  trial: number | null;
  inspect: (id: number | null) => void;
}) {
  const [ordering, setOrdering] = useState<Omit<Ordering, "where">>({ sort: "score", descending: true });
  const [where, setWhere] = useState("");
  const [error, setError] = useState<string | null>(null);
  const filter = useRef<HTMLInputElement>(null);
  const points = usePoints(search.id).data;
  const asked = useDebounced(where, 250);
  const [query, setQuery] = useSearchParams();
  const together = query.get("of") === "all";
  const weighing = query.get("view") === "what mattered";
  return (
    <div
      className="stage apart"
      style={{
        display: "grid",
        gridTemplateRows: weighing && !together ? "auto auto auto minmax(240px, 1fr)" : "auto auto 1fr",
        height: "100%",
        boxSizing: "border-box",
      }}
    >
      <div className="row">
        <h1>{together ? "Trials of all searches" : `Trials of search ${search.number}`}</h1>
        <span className="grow">
          <Switch
            label="Whose trials"
            options={["this search", "all searches"]}
            value={together ? "all searches" : "this search"}
            onChange={(next) =>
              setQuery((held) => {
                if (next === "all searches") held.set("of", "all");
                else held.delete("of");
                return held;
              })
            }
          />
        </span>
        <span className="small soft">{together ? `Take away search ${search.number}` : "Take away"}</span>
        {["csv", "jsonl", "parquet"].map((format) => (
          <Button key={format} variant="outlined" href={`/api/v1/searches/${search.id}/export/${format}`} download>
            {{ csv: "CSV", jsonl: "JSON Lines", parquet: "Parquet" }[format]}
          </Button>
        ))}
      </div>
      <div className="row wrap">
        <TextField
          inputRef={filter}
          value={where}
          error={error !== null}
          onChange={(event) => setWhere(event.target.value)}
          placeholder="Filter, such as  state = scored, rate < 0.1"
          slotProps={{ htmlInput: { "aria-label": "Filter trials", className: "mono" } }}
          sx={{ width: 420 }}
        />
        {["state = scored", "state = failed", "origin = baseline"].map((example) => (
          <button
            key={example}
            className="plain-button tag mono"
            onClick={() => setWhere(where === example ? "" : example)}
          >
            {example}
          </button>
        ))}
        {error && <FieldError text={error} field="where" />}
        {search.kind === "search" && !together && (
          <Button
            aria-pressed={weighing}
            onClick={() =>
              setQuery((held) => {
                if (weighing) held.delete("view");
                else held.set("view", "what mattered");
                return held;
              })
            }
          >
            {weighing ? "Hide what mattered" : "What mattered"}
          </Button>
        )}
      </div>
      {weighing && !together && <WhatMattered search={search.id} />}
      <TrialTable
        problem={problem}
        of={together ? { problem: problem.id } : { search: search.id }}
        searched={together ? null : search.parameters.filter((p) => p.kind !== "fixed").map((p) => String(p.name))}
        best={(together ? problem.best : search.best)?.trial_id ?? null}
        folds={search.folds}
        means={points?.means ?? []}
        effects={points?.fold_effects}
        ordering={{ ...ordering, where: asked }}
        onSort={(sort) =>
          setOrdering((held) => ({ sort, descending: held.sort === sort ? !held.descending : sort !== "number" }))
        }
        onError={setError}
        filter={filter}
        selected={trial}
        inspect={inspect}
      />
    </div>
  );
}
