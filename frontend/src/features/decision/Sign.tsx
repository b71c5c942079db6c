import Button from "@mui/material/Button";
import TextField from "@mui/material/TextField";
import { useState } from "react";
import { useDecide, useDecision, weighingQuery } from "../../api/decisions";
import { withError } from "../../lib/format";
import { called, type BenchProps } from "./bench";
import { useWeighing } from "./useWeighing";

/** Name the reason, sign; an earlier decision is superseded and stays on record. */
export function Sign({ problem, found, chosen, rule, decided }: BenchProps & { rule: string; decided: number | null }) {
  const [reason, setReason] = useState("");
  const [signer, setSigner] = useState("");
  const { weighing, set } = useWeighing();
  const decide = useDecide(problem.id);
  const decision = useDecision(decided).data;
  const by = found.suggestions.find((s) => s.trial_id === chosen.trial.id && s.rule === rule);
  const here = decision?.trial_id === chosen.trial.id ? decision : null;
  return (
    <section className="sheet col padded">
      <h2>
        {here ? "Decided: " : ""}
        {called(chosen)}
      </h2>
      <p className="small">
        {problem.judging.metric_label} <b>{withError(chosen.trial.mean, chosen.trial.standard_error)}</b>
        {chosen.learner && `, ${chosen.learner}`}
      </p>
      {here ? (
        <>
          <p className="small" data-decided={here.trial_id}>
            {here.rule === "by hand" ? "By hand" : `By the rule “${here.rule}”`}
            {here.signer && `, signed ${here.signer}`} on {new Date(here.created_at * 1000).toLocaleString("en-GB")}.{" "}
            {here.reason}
          </p>
          <Button variant="outlined" onClick={() => set({ view: "take away" })}>
            Take it away
          </Button>
        </>
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
          <Button
            variant="contained"
            disabled={decide.isPending}
            onClick={() =>
              decide.mutate({
                trial_id: chosen.trial.id,
                rule: by?.rule ?? "by hand",
                reason: reason || (by?.reason ?? ""),
                signer,
                weighing: { ...weighingQuery(weighing) },
              })
            }
          >
            {decided ? "Sign this one instead" : "Sign this choice"}
          </Button>
        </>
      )}
    </section>
  );
}
