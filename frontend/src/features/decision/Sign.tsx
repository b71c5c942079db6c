import Button from "@mui/material/Button";
import TextField from "@mui/material/TextField";
import { useState } from "react";
import { useDecide, useDecision, useHoldout, weighingQuery } from "../../api/decisions";
import { score, withError } from "../../lib/format";
import { keepSigner, lastSigner } from "../../lib/signer";
import { called, type BenchProps } from "./bench";
import { beatenBy, betters, distances, type Distance } from "./choice";
import { useWeighing } from "./useWeighing";

/** Name the reason, sign; an earlier decision is superseded and stays on record. */
export function Sign({ problem, found, chosen, rule, decided }: BenchProps & { rule: string; decided: number | null }) {
  const decision = useDecision(decided).data;
  const { set } = useWeighing();
  const here = decision?.trial_id === chosen.trial.id ? decision : null;
  const all = distances(found, chosen, problem.judging.larger_is_better);
  return (
    <section className="sheet col padded" data-choice={chosen.trial.id}>
      <header>
        <p className="small soft">{here ? "Decided" : "About to be signed"}</p>
        <h2 className="display large">{called(chosen)}</h2>
        <p>
          {problem.judging.metric_label} <b>{withError(chosen.trial.mean, chosen.trial.standard_error)}</b>
          {chosen.metrics.map((m) => (
            <span key={m.measure}>
              , {m.measure} <b>{score(m.value)}</b>
            </span>
          ))}
          {chosen.learner && `, ${chosen.learner}`}
        </p>
        {all.map((d) => (
          <Apart key={d.whom} distance={d} error={chosen.trial.standard_error} />
        ))}
      </header>
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
        <Signature key={`${chosen.trial.id} ${rule}`} {...{ problem, found, chosen, rule, decided, all }} />
      )}
    </section>
  );
}

function Apart({ distance, error }: { distance: Distance; error: number | null }) {
  const by = score(Math.abs(distance.ahead), error ?? Math.abs(distance.ahead));
  return (
    <p className="small" data-apart={distance.ahead < 0 ? "behind" : "ahead"}>
      {distance.ahead === 0 ? (
        <>level with {distance.whom}</>
      ) : (
        <>
          <b className={distance.ahead < 0 ? "ember" : "spruce"}>
            {by} {distance.ahead < 0 ? "behind" : "ahead of"}
          </b>{" "}
          {distance.whom}
        </>
      )}
    </p>
  );
}

function Signature({
  problem,
  found,
  chosen,
  rule,
  decided,
  all,
}: Omit<BenchProps, "pick"> & { rule: string; decided: number | null; all: Distance[] }) {
  const [reason, setReason] = useState("");
  const [signer, setSigner] = useState(lastSigner);
  const { weighing } = useWeighing();
  const decide = useDecide(problem.id);
  const opening = useHoldout(problem.id).data?.some((look) => look.state === "running") ?? false;
  const by = found.suggestions.find((s) => s.trial_id === chosen.trial.id && s.rule === rule);
  const worse = betters(all, by?.rule ?? "by hand");
  const beaten = beatenBy(found, chosen);
  const behind = worse.length > 0 || beaten !== undefined;
  const missing = [
    behind && reason.trim() === "" && "a reason",
    signer.trim() === "" && "who signs",
    opening && "the holdout, which is being opened",
  ].filter((one) => one !== false);
  return (
    <>
      {behind && (
        <p className="small ember" role="status" data-worse>
          {beaten
            ? `It is not on the front: ${called(beaten)} is better`
            : worse.length > 1
              ? "These are better"
              : `It is worse than ${worse[0]!.whom}`}
          . Say why it is chosen all the same.
        </p>
      )}
      <TextField
        label="Reason"
        multiline
        minRows={2}
        value={reason}
        placeholder={!behind ? (by?.reason ?? "Why this one?") : "Why this one all the same?"}
        onChange={(e) => setReason(e.target.value)}
        slotProps={{
          inputLabel: { shrink: true },
          htmlInput: { "data-needed": behind && reason.trim() === "" ? "" : undefined },
        }}
      />
      <TextField
        label="Signed by"
        value={signer}
        placeholder="your name"
        onChange={(e) => setSigner(e.target.value)}
        slotProps={{
          inputLabel: { shrink: true },
          htmlInput: { "data-needed": signer.trim() === "" ? "" : undefined },
        }}
      />
      {decide.error && (
        <p role="alert" className="ember small">
          {decide.error.message}
        </p>
      )}
      {missing.length > 0 && <p className="small soft">Before signing: {missing.join("; ")}.</p>}
      <Button
        variant="contained"
        data-primary
        disabled={decide.isPending || missing.length > 0}
        onClick={() => {
          keepSigner(signer);
          decide.mutate({
            trial_id: chosen.trial.id,
            rule: by?.rule ?? "by hand",
            reason,
            signer: signer.trim(),
            weighing: { ...weighingQuery(weighing) },
          });
        }}
      >
        {decided ? "Sign this one instead" : "Sign this choice"}
      </Button>
    </>
  );
}
