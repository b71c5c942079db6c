import type { Diagnostics } from "../../api/decisions";
import { count, score } from "../../lib/format";
import { inkOn, ramp } from "../../lib/ramp";
import { Calibration } from "./Curves";

/** More than two classes, or labels without probabilities: confusion, the table of classes, what is mixed up most. */
export function Labels({ d }: { d: Diagnostics }) {
  const labels = d.trial.labels!;
  const before = d.baseline?.labels;
  const sides = [d.trial, d.baseline].filter((s) => !!s && s.calibration.length > 0) as (typeof d.trial)[];
  return (
    <div className="row apart top wrap">
      {labels.confusion && <Confusion classes={d.classes} matrix={labels.confusion} name={d.trial.name} />}
      {before?.confusion && <Confusion classes={d.classes} matrix={before.confusion} name={d.baseline!.name} />}
      {sides.length > 0 && (
        <section className="sheet padded">
          <h2 className="sub">Calibration of the chosen class</h2>
          <Calibration sides={sides} width={270} />
        </section>
      )}
      <ClassTable d={d} />
      {labels.confused.length > 0 && (
        <section className="sheet padded">
          <h2 className="sub">Mixed up most</h2>
          <ol className="small flush numbered">
            {labels.confused.map((c) => (
              <li key={`${c.true}/${c.said}`}>
                {c.true} taken for {c.said}: {count(c.rows)} rows
              </li>
            ))}
          </ol>
        </section>
      )}
    </div>
  );
}

/** Precision, recall and F1 of every class, with every row in its likeliest one. */
export function ClassTable({ d }: { d: Diagnostics }) {
  const labels = d.trial.labels!;
  const before = d.baseline?.labels;
  return (
    <section className="sheet padded scrolls labels">
      <h2 className="sub">Class by class</h2>
      <table className="small collapsed counted" aria-label="Class by class">
        <thead className="soft">
          <tr>
            {["class", "rows", "precision", "recall", "F1", before ? "F1 of the baseline" : ""].map((h) => (
              <th key={h} className={h === "class" ? "left" : undefined}>
                {h}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {labels.classes.map((line, i) => (
            <tr className="ruled" key={line.label}>
              <th className="left" scope="row">
                {line.label}
              </th>
              <td>{count(line.rows)}</td>
              <td>{score(line.precision, 0.01)}</td>
              <td>{score(line.recall, 0.01)}</td>
              <td>{score(line.f1, 0.01)}</td>
              {before && <td className="soft">{score(before.classes[i]!.f1, 0.01)}</td>}
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
}

function Confusion({ classes, matrix, name }: { classes: string[]; matrix: number[][]; name: string }) {
  return (
    <section className="sheet padded scrolls">
      <h2 className="sub">Confusion, {name}</h2>
      <table className="small collapsed counted" aria-label={`Confusion of ${name}`}>
        <thead className="soft">
          <tr>
            <th>truly ╲ said</th>
            {classes.map((c) => (
              <th key={c}>{c}</th>
            ))}
          </tr>
        </thead>
        <tbody>
          {matrix.map((row, i) => {
            const total = row.reduce((a, b) => a + b, 0);
            return (
              <tr key={classes[i]}>
                <th className="left" scope="row">
                  {classes[i]}
                </th>
                {row.map((n, j) => {
                  const share = total ? n / total : 0;
                  return (
                    <td
                      key={j}
                      className={i === j ? "agreeing" : undefined}
                      style={{
                        background: n ? ramp(share) : undefined,
                        color: n ? inkOn(share) : "var(--soft)",
                      }}
                    >
                      {count(n)}
                    </td>
                  );
                })}
              </tr>
            );
          })}
        </tbody>
      </table>
    </section>
  );
}
