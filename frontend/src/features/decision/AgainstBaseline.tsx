import Button from "@mui/material/Button";
import { useState } from "react";
import { useDiagnostics, useImportance, type Diagnostics } from "../../api/decisions";
import { score } from "../../lib/format";
import { Curves } from "./Curves";
import { called, type BenchProps } from "./bench";
import { DrawnTree } from "./DrawnTree";
import { ClassTable, Labels } from "./Labels";
import { Residuals } from "./Residuals";

/** What the chosen trial and the baseline predict for rows they did not learn from. */
export function AgainstBaseline({ chosen }: BenchProps) {
  const found = useDiagnostics(chosen.trial.id);
  if (found.isError)
    return (
      <p role="alert" className="ember">
        {found.error.message}
      </p>
    );
  if (!found.data) return <p className="soft">Gathering the predictions …</p>;
  const d = found.data;
  return (
    <div className="col apart">
      <p className="small soft">
        {called(chosen)[0]!.toUpperCase() + called(chosen).slice(1)}
        {d.baseline ? " beside the baseline" : ""}: what they said of {d.rows.toLocaleString("en")} rows, each judged by
        the fit that had not seen it. Curves pool the folds; the table averages them.
      </p>
      {[d.trial, d.baseline].map(
        (side) =>
          side?.missing && (
            <p key={side.trial_id} role="alert" className="small ember">
              {side.missing}
            </p>
          ),
      )}
      {d.trial.cuts && <Curves d={d} />}
      {d.trial.residuals && <Residuals d={d} />}
      <div className="apart top both">
        <ByMetric d={d} />
        <Importance trial={chosen.trial.id} metric={d.metrics.find((m) => m.decides)!.key} />
      </div>
      {d.trial.labels && (d.trial.cuts ? <ClassTable d={d} /> : <Labels d={d} />)}
      {chosen.learner === "tree" && <DrawnTree trial={chosen.trial.id} classes={d.classes} />}
    </div>
  );
}

function ByMetric({ d }: { d: Diagnostics }) {
  const names = [d.trial.name, d.baseline?.name];
  return (
    <section className="sheet padded">
      <h2 className="sub">By every metric</h2>
      <table className="small collapsed full" aria-label="By every metric">
        <thead className="soft">
          <tr>
            <th>
              <span className="unseen">Metric</span>
            </th>
            {names.map(
              (name) =>
                name && (
                  <th key={name} className="measured">
                    {name}
                  </th>
                ),
            )}
          </tr>
        </thead>
        <tbody>
          {d.metrics.map((m) => {
            const ahead =
              m.trial !== null &&
              m.baseline !== null &&
              m.trial !== m.baseline &&
              m.trial > m.baseline === m.larger_is_better;
            return (
              <tr className="ruled" key={m.key} style={{ fontWeight: m.decides ? 650 : 400 }}>
                <th className="left snug same-weight" scope="row">
                  {m.key} {m.larger_is_better ? "↑" : "↓"}
                </th>
                <td className={`measured ${ahead ? "spruce" : ""}`}>
                  {score(m.trial)}
                  {ahead && " ◂"}
                </td>
                {d.baseline && <td className="measured">{score(m.baseline)}</td>}
              </tr>
            );
          })}
        </tbody>
      </table>
    </section>
  );
}

function Importance({ trial, metric }: { trial: number; metric: string }) {
  const [wanted, setWanted] = useState(false);
  const found = useImportance(trial, wanted);
  const columns = found.data?.columns ?? [];
  const most = Math.max(...columns.map((c) => c.drop + c.error), 1e-12);
  const x = (v: number) => (Math.max(v, 0) / most) * 150;
  return (
    <section className="sheet col padded near" data-importance={found.data?.state}>
      <h2 className="sub">What it leans on</h2>
      {!wanted && (
        <>
          <p className="small soft">
            Shuffle one column at a time among the rows of each fold, and see how much {metric} is lost. One fit a fold.
          </p>
          <span>
            <Button variant="outlined" onClick={() => setWanted(true)}>
              Measure the columns
            </Button>
          </span>
        </>
      )}
      {wanted && found.isError && <p className="small ember">{found.error.message}</p>}
      {wanted && !found.isError && found.data?.state !== "done" && (
        <p className={`small ${found.data?.state === "failed" ? "ember" : "soft"}`}>
          {found.data?.message || "Fitting and shuffling …"}
        </p>
      )}
      {columns.length > 0 && (
        <table className="small collapsed" aria-label="Importance of the columns">
          <tbody>
            {columns.slice(0, 14).map((c) => (
              <tr key={c.column}>
                <th scope="row" className="cut left plain column-name">
                  {c.column}
                </th>
                <td>
                  <svg className="block" width={162} height={15} aria-hidden>
                    <rect y={3} height={9} width={x(c.drop)} fill="var(--spruce)" />
                    <path d={`M${x(c.drop - c.error)} 7.5H${x(c.drop + c.error)}`} stroke="var(--ink)" />
                  </svg>
                </td>
                <td className="measured">{score(c.drop, c.error || Math.abs(c.drop) / 10 || 1e-4)}</td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </section>
  );
}
