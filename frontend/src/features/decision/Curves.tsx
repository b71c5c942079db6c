import { useMemo, useState, type ReactNode } from "react";
import type { Schemas } from "../../api/client";
import type { Diagnostics } from "../../api/decisions";
import { count, percent, score } from "../../lib/format";
import { Plot } from "../../charts/Plot";
import { pathOf } from "../../charts/plotLayout";
import { useWidth } from "../../charts/useWidth";
import { placeOf } from "./thresholds";

type Side = Schemas["PredictionsView"];
type Cuts = Schemas["CutsView"];
const UNIT = { low: 0, high: 1 };

const recall = (c: Cuts, i: number) => c.hits[i]! / Math.max(c.positives, 1);
const alarms = (c: Cuts, i: number) => c.false_alarms[i]! / Math.max(c.negatives, 1);
const precision = (c: Cuts, i: number) => {
  const said = c.hits[i]! + c.false_alarms[i]!;
  return said ? c.hits[i]! / said : 1;
};
const f1 = (c: Cuts, i: number) => (2 * c.hits[i]!) / Math.max(c.hits[i]! + c.false_alarms[i]! + c.positives, 1);

/** Recall against false alarms, precision against recall, calibration; and the threshold, chosen on all of them. */
export function Curves({ d }: { d: Diagnostics }) {
  const [threshold, setThreshold] = useState(0.5);
  const [box, width] = useWidth(840);
  const sides = [d.trial, d.baseline].filter((s): s is Side => !!s?.cuts);
  const each = Math.floor((width - 24 - 28) / 3);
  const c = d.trial.cuts!;
  const best = useMemo(() => {
    let at = 0;
    for (let i = 1; i < c.threshold.length; i += 1) if (f1(c, i) > f1(c, at)) at = i;
    return c.threshold[at] ?? 0.5;
  }, [c]);
  return (
    <section className="sheet col padded">
      <div ref={box} className="row apart top">
        <Figure
          title="Recall against false alarms"
          note={sides.map((s) => `${s.name} ${score(s.cuts!.area)}`).join(" · ")}
        >
          <Pair
            sides={sides}
            across="false alarms"
            up="recall"
            width={each}
            at={alarms}
            of={recall}
            threshold={threshold}
          />
        </Figure>
        <Figure
          title="Precision against recall"
          note={sides.map((s) => `${s.name} ${score(s.cuts!.average_precision)}`).join(" · ")}
        >
          <Pair
            sides={sides}
            across="recall"
            up="precision"
            width={each}
            at={recall}
            of={precision}
            threshold={threshold}
            skip
          />
        </Figure>
        <Figure title="Calibration" note="on the diagonal, what is said comes true">
          <Calibration sides={sides} width={each} />
        </Figure>
      </div>
      <div className="row apart top wrap">
        <div className="col closer cut-off-knob">
          <label className="small" htmlFor="threshold">
            Call it <b>{d.classes[1]}</b> from <b>{threshold.toFixed(3)}</b> on
          </label>
          <input
            id="threshold"
            type="range"
            min={0}
            max={1}
            step={0.005}
            value={threshold}

            onChange={(e) => setThreshold(Number(e.target.value))}
          />
          <span className="small soft">
            <button className="plain-button" onClick={() => setThreshold(best)}>
              <u>Best F1</u>
            </button>{" "}
            ·{" "}
            <button className="plain-button" onClick={() => setThreshold(0.5)}>
              <u>one half</u>
            </button>
          </span>
        </div>
        {sides.map((s) => (
          <AtThreshold key={s.trial_id} side={s} threshold={threshold} classes={d.classes} />
        ))}
      </div>
    </section>
  );
}

function Figure({ title, note, children }: { title: string; note: string; children: ReactNode }) {
  return (
    <figure className="flush shrinks">
      <figcaption>
        <h2 className="sub">{title}</h2>
        <span className="small soft">{note}</span>
      </figcaption>
      {children}
    </figure>
  );
}

interface PairProps {
  sides: Side[];
  across: string;
  up: string;
  width: number;
  at: (c: Cuts, i: number) => number;
  of: (c: Cuts, i: number) => number;
  threshold: number;
  skip?: boolean; // the first point, at which nothing is called positive
}

function Pair({ sides, across, up, width, at, of, threshold, skip = false }: PairProps) {
  return (
    <Plot width={width} height={230} across={across} up={up} x={UNIT} y={UNIT} label={`${up} against ${across}`}>
      {({ x, y }) =>
        sides.map((s, k) => {
          const c = s.cuts!;
          const points = c.threshold.map((_, i): [number, number] => [x(at(c, i)), y(of(c, i))]);
          const here = placeOf(c, threshold);
          return (
            <g key={s.trial_id}>
              <path
                d={pathOf(skip ? points.slice(1) : points)}
                fill="none"
                stroke={k ? "var(--soft)" : "var(--spruce)"}
                strokeWidth={k ? 1.5 : 2}
                strokeDasharray={k ? "5 4" : undefined}
              />
              {!(skip && here === 0) && (
                <circle
                  cx={points[here]![0]}
                  cy={points[here]![1]}
                  r={k ? 3.5 : 5}
                  fill={k ? "var(--soft)" : "var(--honey)"}
                  stroke="var(--sheet)"
                />
              )}
            </g>
          );
        })
      }
    </Plot>
  );
}

export function Calibration({ sides, width }: { sides: Side[]; width: number }) {
  const most = Math.max(...sides.flatMap((s) => s.calibration.flatMap((b) => [b.said, b.came])), 0.1);
  const ends = { low: 0, high: Math.min(1, Math.ceil(most * 10) / 10) };
  return (
    <Plot
      width={width}
      height={230}
      across="probability said"
      up="share that came true"
      x={ends}
      y={ends}
      label="Calibration"
    >
      {({ x, y }) => (
        <>
          <path d={`M${x(0)} ${y(0)}L${x(ends.high)} ${y(ends.high)}`} stroke="var(--honey)" strokeDasharray="2 3" />
          {sides.map((s, k) => {
            const points = s.calibration.map((b): [number, number] => [x(b.said), y(b.came)]);
            return (
              <g
                key={s.trial_id}
                fill={k ? "var(--soft)" : "var(--spruce)"}
                stroke={k ? "var(--soft)" : "var(--spruce)"}
              >
                <path
                  d={pathOf(points)}
                  fill="none"
                  strokeDasharray={k ? "5 4" : undefined}
                  strokeWidth={k ? 1.5 : 2}
                />
                {points.map(([px, py], i) => (
                  <circle key={i} cx={px} cy={py} r={2.8} stroke="none">
                    <title>{`${count(s.calibration[i]!.rows)} rows`}</title>
                  </circle>
                ))}
              </g>
            );
          })}
        </>
      )}
    </Plot>
  );
}

/** The confusion matrix of two classes at a threshold, with what it comes to. */
function AtThreshold({ side, threshold, classes }: { side: Side; threshold: number; classes: string[] }) {
  const c = side.cuts!;
  const i = placeOf(c, threshold);
  const hits = c.hits[i]!;
  const wrong = c.false_alarms[i]!;
  const rows = [
    [classes[1]!, hits, c.positives - hits],
    [classes[0]!, wrong, c.negatives - wrong],
  ] as const;
  return (
    <div className="small" data-threshold-of={side.trial_id}>
      <b>{side.name}</b>{" "}
      <span className="soft">
        precision {hits + wrong ? percent(precision(c, i)) : "–"} · recall {percent(recall(c, i))} · F1{" "}
        {score(f1(c, i), 0.01)}
      </span>
      <table className="collapsed below counted" aria-label={`Confusion of ${side.name}`}>
        <thead className="soft">
          <tr>
            <th>truly</th>
            <th>called {classes[1]}</th>
            <th>called {classes[0]}</th>
          </tr>
        </thead>
        <tbody>
          {rows.map(([name, called, not], k) => (
            <tr className="ruled" key={name}>
              <th className="left" scope="row">
                {name}
              </th>
              <td className={k === 0 ? "well" : "badly"}>{count(called)}</td>
              <td className={k === 1 ? "well" : "badly"}>{count(not)}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}
