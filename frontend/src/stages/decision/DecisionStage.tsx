import Button from "@mui/material/Button";
import TextField from "@mui/material/TextField";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { api, settled, type Problem, type Refusal, type Schemas } from "../../api/client";
import { keys, useFinalists } from "../../api/hooks";
import { useChosen } from "../../app/place";
import { withError } from "../../lib/format";
import { CopyConfiguration } from "../inspector/CopyConfiguration";
import { FoldMatrix } from "./FoldMatrix";

interface Picked {
  trial: number;
  rule: string;
}
type Finalists = Schemas["FinalistsView"];

export function DecisionStage() {
  const { problemView, problemQuery, trial, inspect } = useChosen();
  if (problemQuery.isError)
    return (
      <p className="stage ember" role="alert">
        {problemQuery.error.message}
      </p>
    );
  if (!problemView) return <p className="stage soft">Gathering the finalists …</p>;
  return <Bench problem={problemView} inspected={trial} inspect={inspect} />;
}

function Bench({
  problem,
  inspected,
  inspect,
}: {
  problem: Problem;
  inspected: number | null;
  inspect: (id: number) => void;
}) {
  const [top, setTop] = useState(10);
  const finalists = useFinalists(problem.id, top);
  const [picked, setPicked] = useState<Picked | null>(null);
  if (finalists.isError)
    return (
      <p className="stage ember" role="alert">
        {finalists.error.message}
      </p>
    );
  if (!finalists.data) return <p className="stage soft">Gathering the finalists …</p>;
  if (finalists.data.finalists.length === 0)
    return (
      <div className="stage col">
        <h1>Nothing to decide yet</h1>
        <p className="soft">
          The best trials of all searches of this problem will stand here, fold by fold, with the baseline among them.
        </p>
        <p>
          <Link to={`/p/${problem.id}/space`}>Lay out the space and launch</Link>
        </p>
      </div>
    );
  const { decision, suggestions } = finalists.data;
  const first = suggestions[0];
  const chosen: Picked | null =
    picked ??
    (decision
      ? { trial: decision.trial_id, rule: decision.rule }
      : first
        ? { trial: first.trial_id, rule: first.rule }
        : null);
  return (
    <div
      className="stage"
      style={{ display: "grid", gap: 18, gridTemplateColumns: "minmax(0, 1fr) 350px", alignItems: "start" }}
    >
      <section className="col" style={{ gap: 12 }}>
        <div className="row">
          <div className="grow">
            <h1>Finalists by {problem.brief.metric_label}</h1>
            <p className="small soft">
              The best trials of all searches on the same {problem.brief.split_label}, those you shortlisted, and the
              baseline.
            </p>
          </div>
          <Button onClick={() => setTop((n) => n + 20)}>Show more</Button>
        </div>
        <FoldMatrix
          problem={problem}
          finalists={finalists.data.finalists}
          chosen={chosen?.trial ?? null}
          inspected={inspected}
          onChoose={(trial) => setPicked({ trial, rule: "by hand" })}
          onInspect={inspect}
        />
        <p className="small soft">
          The mean of the best of many trials is an optimistic number: part of its lead is luck of the draw. When
          several lie within one standard error of it, prefer the cheaper or simpler one.
        </p>
      </section>
      <Choice problem={problem} found={finalists.data} chosen={chosen} onChoose={setPicked} />
    </div>
  );
}

function Choice({
  problem,
  found,
  chosen,
  onChoose,
}: {
  problem: Problem;
  found: Finalists;
  chosen: Picked | null;
  onChoose: (picked: Picked) => void;
}) {
  const [reason, setReason] = useState("");
  const [signer, setSigner] = useState("");
  const client = useQueryClient();
  const { decision, suggestions, finalists } = found;
  const finalist = finalists.find((f) => f.trial.id === chosen?.trial);
  const by = suggestions.find((s) => s.trial_id === chosen?.trial && s.rule === chosen.rule);
  const decide = useMutation<Schemas["DecisionView"], Refusal>({
    mutationFn: () =>
      settled(
        api.POST("/api/v1/problems/{problem_id}/decisions", {
          params: { path: { problem_id: problem.id } },
          body: { trial_id: chosen!.trial, rule: by?.rule ?? "by hand", reason: reason || (by?.reason ?? ""), signer },
        }),
      ),
    onSuccess: () => {
      void client.invalidateQueries({ queryKey: keys.finalists(problem.id) });
      void client.invalidateQueries({ queryKey: keys.problem(problem.id) });
    },
  });
  const settledHere = decision && decision.trial_id === chosen?.trial;
  return (
    <aside className="col" style={{ gap: 14, position: "sticky", top: 18 }}>
      <section className="sheet col" style={{ padding: 14 }}>
        <h2>What the rules say</h2>
        {suggestions.map((s) => (
          <button
            key={s.rule}
            className="plain-button col"
            style={{
              gap: 2,
              padding: "8px 10px",
              borderRadius: 6,
              background: s.trial_id === chosen?.trial && s.rule === chosen.rule ? "var(--honey-tint)" : "var(--sunk)",
            }}
            onClick={() => onChoose({ trial: s.trial_id, rule: s.rule })}
            data-rule={s.rule}
          >
            <b>{s.rule[0]!.toUpperCase() + s.rule.slice(1)}</b>
            <span className="small">{s.reason}</span>
          </button>
        ))}
      </section>
      {finalist && (
        <section className="sheet col" style={{ padding: 14 }}>
          <h2>
            {settledHere ? "Decided: " : ""}
            {finalist.is_baseline
              ? "the baseline"
              : `trial ${finalist.trial.number} of search ${finalist.search_number}`}
          </h2>
          <p className="small">
            {problem.brief.metric_label} <b>{withError(finalist.trial.mean, finalist.trial.error)}</b>,{" "}
            {finalist.learner}
          </p>
          <CopyConfiguration trial={finalist.trial.id} height={132} />
          {settledHere ? (
            <p className="small" data-decided={decision.trial_id}>
              By {decision.rule}
              {decision.signer && `, signed ${decision.signer}`} on{" "}
              {new Date(decision.created_at * 1000).toLocaleString("en-GB")}. {decision.reason}
            </p>
          ) : (
            <>
              <TextField
                label="Reason"
                multiline
                minRows={2}
                value={reason}
                placeholder={by?.reason ?? "Why this one?"}
                onChange={(e) => setReason(e.target.value)}
                slotProps={{ inputLabel: { shrink: true } }}
              />
              <TextField
                label="Signed"
                value={signer}
                placeholder="your name"
                onChange={(e) => setSigner(e.target.value)}
                slotProps={{ inputLabel: { shrink: true } }}
              />
              {decide.error && (
                <p role="alert" className="ember small">
                  {decide.error.message}
                </p>
              )}
              <Button variant="contained" disabled={decide.isPending} onClick={() => decide.mutate()}>
                {decision ? "Choose this one instead" : "Choose this configuration"}
              </Button>
            </>
          )}
        </section>
      )}
    </aside>
  );
}
