import { useState } from "react";
import { Link } from "react-router";
import type { Scalar, Problem, Schemas } from "../../api/client";
import { useDecision, useDecisions } from "../../api/decisions";
import { bytes, scalar, withError } from "../../lib/format";

type View = Schemas["DecisionView"];

/** A setting as text; a schedule is told stage by stage. */
const setting = (name: string, value: unknown): string =>
  name === "schedule" && Array.isArray(value)
    ? (value as [number, Record<string, Scalar>][])
        .map(
          ([until, held]) =>
            `to ${until}: ${Object.entries(held)
              .map(([k, v]) => `${k} ${scalar(v)}`)
              .join(", ")}`,
        )
        .join("; ")
    : scalar(value as Scalar);

/** Signed decisions, newest first, and all that can be taken away of each. */
export function TakeAway({ problem }: { problem: Problem }) {
  const decisions = useDecisions(problem.id).data ?? [];
  const [wanted, setWanted] = useState<number | null>(null);
  const shown = decisions.find((d) => d.id === wanted) ?? decisions[0];
  if (!shown)
    return (
      <section className="sheet col roomy">
        <h2>Nothing is signed yet</h2>
        <p className="soft">
          Sign a choice on the right.{" "}
          {problem.code
            ? "Its settings, the command, what its training kept"
            : "Its configuration, a script of plain scikit-learn, the fitted model"}
          , a report and all trials can then be taken away from here.
        </p>
      </section>
    );
  return (
    <div className="col apart">
      <Files key={shown.id} decision={shown} />
      {decisions.length > 1 && (
        <section className="sheet col padded closer">
          <h2 className="sub">All decisions</h2>
          {decisions.map((d) => (
            <button
              key={d.id}
              className="plain-button row small kept-decision"
              onClick={() => setWanted(d.id)}
              style={{ background: d.id === shown.id ? "var(--sunk)" : undefined }}
            >
              <b>{d.id}</b> {d.trial_name}, {d.rule}
              <span className="grow soft">
                {" "}
                {new Date(d.created_at * 1000).toLocaleString("en-GB")}
                {d.signer && `, ${d.signer}`}
              </span>
              {d.superseded_by !== null && <span className="tag">superseded by {d.superseded_by}</span>}
            </button>
          ))}
        </section>
      )}
    </div>
  );
}

function Files({ decision }: { decision: View }) {
  const detail = useDecision(decision.id).data;
  const at = (name: string) => `/api/v1/decisions/${decision.id}/files/${name}`;
  const making = detail?.files.some((f) => f.state === "making");
  return (
    <section
      className="sheet col roomy apart"

      data-decision={decision.id}
      data-making={making ? "yes" : "no"}
    >
      <div>
        <h2>
          Decision {decision.id}: {decision.trial_name}
          {decision.learner && `, ${decision.learner}`}
        </h2>
        <p className="small soft">
          {decision.metric_label} {withError(decision.mean, decision.standard_error)} · signed{" "}
          {new Date(decision.created_at * 1000).toLocaleString("en-GB")}
          {decision.signer && ` by ${decision.signer}`}
          {decision.superseded_by !== null && (
            <span className="ember"> · superseded by decision {decision.superseded_by}</span>
          )}
        </p>
        {decision.reason && <p className="below">{decision.reason}</p>}
      </div>
      <p className="mono sunk block-of-text">
        {Object.entries(decision.configuration)
          .map(([name, value]) => `${name} ${setting(name, value)}`)
          .join(" · ")}
      </p>
      <table className="collapsed full" aria-label="Files to take away">
        <tbody>
          {detail?.files.map((f) => (
            <tr className="ruled" key={f.name} data-file={f.name} data-state={f.state}>
              <th scope="row" className="mono left one-line before-next taken-file">
                {f.state === "ready" ? (
                  <a
                    href={at(f.name)}
                    {...(f.name === "report.html" ? { target: "_blank", rel: "noreferrer" } : { download: true })}
                  >
                    {f.name}
                  </a>
                ) : (
                  f.name
                )}
              </th>
              <td className="small">
                {f.state === "ready" ? (
                  f.sentence
                ) : (
                  <span className={f.state === "none" ? "ember" : "soft"}>{f.message}</span>
                )}
              </td>
              <td className="small soft right one-line">{f.bytes === null ? "" : bytes(f.bytes)}</td>
            </tr>
          ))}
        </tbody>
      </table>
      <div className="row">
        <a href={at("everything.zip")} download>
          Everything in one archive
        </a>
        <span className="grow" />
        <Link className="small" to={`/p/${decision.problem_id}/space?decision=${decision.id}`}>
          Start the next search from it
        </Link>
      </div>
      <p className="small soft mono cut" title={decision.fingerprint}>
        record {decision.fingerprint}
      </p>
    </section>
  );
}
