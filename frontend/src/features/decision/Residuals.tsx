import type { Diagnostics } from "../../api/decisions";
import { count, figure } from "../../lib/format";
import { Plot } from "../../charts/Plot";
import { endsOf } from "../../charts/plotLayout";
import { useWidth } from "../../charts/useWidth";

/** Predicted against actual, what is left over, and how far the trial and the baseline miss. */
export function Residuals({ d }: { d: Diagnostics }) {
  const [box, width] = useWidth(840);
  const r = d.trial.residuals!;
  const each = Math.floor((width - 40) / 2);
  const missed = r.actual.map((a, i) => a - r.predicted[i]!);
  const both = endsOf([...r.predicted, ...r.actual]);
  const sides = [d.trial, d.baseline].filter((s) => !!s?.residuals) as (typeof d.trial)[];
  return (
    <section className="sheet col padded">
      <div ref={box} className="row apart top">
        <figure className="flush">
          <figcaption>
            <h2 className="sub">Predicted and actual</h2>
          </figcaption>
          <Plot
            width={each}
            height={280}
            across="predicted"
            up="actual"
            x={both}
            y={both}
            label="Actual against predicted"
          >
            {({ x, y }) => (
              <>
                <path
                  d={`M${x(both.low)} ${y(both.low)}L${x(both.high)} ${y(both.high)}`}
                  stroke="var(--honey)"
                  strokeWidth={1.5}
                />
                {r.predicted.map((p, i) => (
                  <circle key={i} cx={x(p)} cy={y(r.actual[i]!)} r={2} fill="var(--spruce)" fillOpacity={0.45} />
                ))}
              </>
            )}
          </Plot>
        </figure>
        <figure className="flush">
          <figcaption>
            <h2 className="sub">What is left over</h2>
          </figcaption>
          <Plot
            width={each}
            height={280}
            across="predicted"
            up="actual − predicted"
            x={endsOf(r.predicted)}
            y={endsOf(missed)}
            label="Residuals against predicted"
          >
            {({ x, y, box: b }) => (
              <>
                <path d={`M${b.left} ${y(0)}H${b.right}`} stroke="var(--honey)" strokeWidth={1.5} />
                {r.predicted.map((p, i) => (
                  <circle key={i} cx={x(p)} cy={y(missed[i]!)} r={2} fill="var(--spruce)" fillOpacity={0.45} />
                ))}
              </>
            )}
          </Plot>
        </figure>
      </div>
      <table className="small collapsed at-start" aria-label="How far they miss">
        <thead className="soft">
          <tr>
            {["actual − predicted", "5 %", "25 %", "median", "75 %", "95 %", "mean"].map((h, i) => (
              <th className="plain cell" key={h} style={{ textAlign: i ? "right" : "left" }}>
                {h}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {sides.map((s) => (
            <tr className="ruled" key={s.trial_id}>
              <th className="plain left cell" scope="row">
                {s.name}
              </th>
              {[...s.residuals!.quantiles, s.residuals!.mean].map((q, i) => (
                <td className="right cell" key={i}>
                  {figure(q)}
                </td>
              ))}
            </tr>
          ))}
        </tbody>
      </table>
      <p className="small soft">
        {count(r.predicted.length)} of {count(r.rows)} rows are drawn; the table is of all of them.
      </p>
    </section>
  );
}
