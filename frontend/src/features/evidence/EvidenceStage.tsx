import Button from "@mui/material/Button";
import TextField from "@mui/material/TextField";
import { useEffect, useRef, useState } from "react";
import { Link } from "react-router";
import { useChosen } from "../../ui/place";
import { FieldError } from "../../ui/FieldError";
import { Switch } from "../../ui/Switch";
import { plural } from "../../lib/format";
import { FaceOffList, FaceOffs } from "./FaceOffs";
import { FindingsView } from "./FindingsView";
import type { Looked } from "./looked";
import { LanesView } from "./LanesView";
import { SurfaceView } from "./SurfaceView";
import { TrialsView } from "./TrialsView";
import { VIEWS, useSelection, type View } from "./useSelection";

export function EvidenceStage() {
  const { problemView, problemQuery, searches, searchesQuery, chosen, trial, inspect } = useChosen();
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
        <p className="soft">
          What the trials of a search say will stand here, and every trial with its settings, fold scores and cost.
        </p>
        <p>
          <Link to={`/p/${problemView.id}/space`}>Lay out the space and launch</Link>
        </p>
        <FaceOffList problem={problemView} />
      </div>
    );
  return (
    <Looking
      key={chosen.id}
      problem={problemView}
      search={chosen}
      searches={searches}
      trial={trial}
      inspect={inspect}
    />
  );
}

const heading = (view: View, search: number, together: boolean) => {
  const whose = together ? "all searches" : `search ${search}`;
  if (view === "findings") return `What the trials of search ${search} say`;
  if (view === "face-off") return `Ways to search, over the space of search ${search}`;
  if (view === "surface") return `Two settings of search ${search}`;
  return view === "lanes" ? `Lanes of ${whose}` : `Trials of ${whose}`;
};

/** Four views of one selection. */
function Looking(looked: Looked) {
  const { search } = looked;
  const selection = useSelection();
  const { together } = selection;
  const own = search.kind === "search"; // others have no space of their own
  const view = selection.view ?? (together || !own ? "trials" : "findings");
  const filter = useRef<HTMLInputElement>(null);
  const [error, setError] = useState<string | null>(null);
  return (
    <div className="stage apart evidence" data-view={view}>
      <div className="row wrap">
        <h1 className="grow">{heading(view, search.number, together)}</h1>
        {own && <Switch label="View" options={[...VIEWS]} value={view} onChange={selection.setView} />}
        {(view === "trials" || view === "lanes") && (
          <Switch
            label="Whose trials"
            options={["this search", "all searches"]}
            value={together ? "all searches" : "this search"}
            onChange={(next) => selection.setTogether(next === "all searches")}
          />
        )}
        {view !== "face-off" && (
          <span className="row closer">
            <span className="small soft">{together ? `Take away search ${search.number}` : "Take away"}</span>
            {["csv", "jsonl", "parquet"].map((format) => (
              <Button key={format} variant="outlined" href={`/api/v1/searches/${search.id}/export/${format}`} download>
                {{ csv: "CSV", jsonl: "JSON Lines", parquet: "Parquet" }[format]}
              </Button>
            ))}
          </span>
        )}
      </div>
      {(view === "trials" || view === "lanes") && (
        <div className="row wrap">
          <Filter selection={selection} error={error} filter={filter} />
          {error && <FieldError text={error} field="where" />}
          {selection.picked && (
            <span className="tag" data-picked>
              {plural(selection.picked.length, "trial")} picked{" "}
              <button className="plain-button spruce" onClick={() => selection.pick(null)}>
                let go
              </button>
            </span>
          )}
        </div>
      )}
      {own && view !== "trials" && <Alone {...looked} />}
      {view === "findings" && <FindingsView {...looked} selection={selection} />}
      {view === "lanes" && <LanesView {...looked} selection={selection} />}
      {view === "surface" && <SurfaceView {...looked} selection={selection} />}
      {view === "face-off" && <FaceOffs {...looked} />}
      {view === "trials" && <TrialsView {...looked} selection={selection} filter={filter} onError={setError} />}
    </div>
  );
}

/** What is computed of a search speaks of its score; where more than that decides, this is said. */
function Alone({ problem, search }: Looked) {
  const beside = [...search.against.map((aim) => aim.measure), ...search.limits.map((limit) => limit.text)];
  if (beside.length === 0) return null;
  return (
    <p className="small soft" role="note" data-alone>
      Of {problem.judging.metric} alone: {beside.join(", ")} {beside.length > 1 ? "steer" : "steers"} the search and the
      choice, and {beside.length > 1 ? "are" : "is"} not looked at here.{" "}
      {search.against.length > 0 && (
        <Link to={`/p/${problem.id}/live?search=${search.id}`} className="spruce">
          The front is on Live.
        </Link>
      )}
    </p>
  );
}

interface FilterProps {
  selection: ReturnType<typeof useSelection>;
  error: string | null;
  filter: React.RefObject<HTMLInputElement | null>;
}

/** The filter as text: the same that brushing a lane writes. */
function Filter({ selection, error, filter }: FilterProps) {
  const { where, setWhere } = selection;
  // The address follows a little later than the hand types: what was typed here and comes back is old news, the rest is taken over.
  const [text, setText] = useState(where);
  const typed = useRef(new Set<string>());
  useEffect(() => {
    if (!typed.current.delete(where)) setText(where);
  }, [where]);
  const put = (next: string) => {
    if (next !== where) typed.current.add(next);
    setText(next);
    setWhere(next);
  };
  return (
    <>
      <TextField
        inputRef={filter}
        value={text}
        error={error !== null}
        onChange={(event) => put(event.target.value)}
        placeholder="Filter, such as  state = scored, rate < 0.1"
        slotProps={{ htmlInput: { "aria-label": "Filter trials", className: "mono" } }}
        sx={{ width: 420 }}
      />
      {["state = scored", "state = failed", "origin = baseline"].map((example) => (
        <button key={example} className="plain-button tag mono" onClick={() => put(text === example ? "" : example)}>
          {example}
        </button>
      ))}
    </>
  );
}
