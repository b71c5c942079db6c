import { useMemo, useState } from "react";
import { bytes, duration, score } from "../../lib/format";
import { Plot } from "../../charts/Plot";
import { endsOf, pathOf, type Ends } from "../../charts/plotLayout";
import { useWidth } from "../../charts/useWidth";
import { called, type BenchProps } from "./bench";
import { useWeighing } from "./useWeighing";

const UNITS: Record<string, string> = {
  "fit seconds": "seconds a fit",
  "prediction seconds": "seconds to predict 1,000 rows",
  "model size": "bytes of the model",
};

/** Two measures against each other, with the front of those that no other beats on both. */
export function TradeOff({ problem, found, chosen, pick }: BenchProps) {
  const { weighing, set } = useWeighing();
  const [box, width] = useWidth();
  const [over, setOver] = useState<number | null>(null);
  const measure = weighing.beside;
  const known = useMemo(() => found.finalists.filter((f) => f.beside !== null), [found]);
  const front = useMemo(
    () => found.front.map((id) => known.find((f) => f.trial.id === id)).filter((f) => f !== undefined),
    [found, known],
  );
  const ends = useMemo(() => {
    // A baseline far from all others would press them into a corner: it is drawn at the edge.
    const near = known.filter((f) => !f.is_baseline);
    const inside = near.length > 1 ? near : known;
    return {
      x: endsOf(
        inside.map((f) => f.beside!),
        0.08,
      ),
      y: endsOf(
        inside.map((f) => f.trial.mean!),
        0.08,
      ),
    };
  }, [known]);
  const shown = known.find((f) => f.trial.id === over) ?? known.find((f) => f.trial.id === chosen.trial.id);
  return (
    <div className="sheet col padded">
      <div className="row small">
        <label className="row close">
          <span className="soft">Weigh {problem.judging.metric_label} against</span>
          <select
            aria-label="Second measure"
            value={measure ?? ""}
            onChange={(e) => set({ beside: e.target.value || null, top: Math.max(weighing.top, 50) })}
          >
            <option value="">choose a measure</option>
            {found.measures.map((m) => (
              <option key={m.key} value={m.key}>
                {m.key} {m.larger_is_better ? "↑" : "↓"}
              </option>
            ))}
          </select>
        </label>
        <span className="grow" />
        {shown && (
          <span>
            <b>{called(shown)}</b>: {score(shown.trial.mean, shown.trial.standard_error)}, {measure}{" "}
            {amount(measure!, shown.beside!)}
          </span>
        )}
      </div>
      <div ref={box}>
        {measure === null ? (
          <p className="soft centred" style={{ padding: "60px 20px" }}>
            The best score is not always the best choice. Choose what else matters: cost, size, or another metric. The
            trials that no other beats on both stand on the front.
          </p>
        ) : known.length === 0 ? (
          <p className="soft" style={{ padding: 40 }}>
            No finalist has this measure: trials of earlier versions kept no predictions.
          </p>
        ) : (
          width > 0 && (
            <Plot
              width={width}
              height={430}
              across={UNITS[measure] ?? measure}
              up={problem.judging.metric_label}
              x={ends.x}
              y={ends.y}
              label={`${problem.judging.metric} against ${measure}; the fold matrix has the numbers`}
            >
              {({ x, y }) => (
                <>
                  <path
                    d={pathOf(front.map((f): [number, number] => [x(f.beside!), y(f.trial.mean!)]))}
                    fill="none"
                    stroke="var(--honey)"
                    strokeWidth={2}
                  />
                  {known.map((f) => {
                    const id = f.trial.id;
                    const best = found.front.includes(id);
                    const at = { x: within(f.beside!, ends.x), y: within(f.trial.mean!, ends.y) };
                    const far = at.x !== f.beside || at.y !== f.trial.mean;
                    return (
                      <circle
                        className="clickable"
                        key={id}
                        data-dot={id}
                        cx={x(at.x)}
                        cy={y(at.y)}
                        r={id === chosen.trial.id ? 8 : best ? 6 : 4}
                        fill={id === chosen.trial.id ? "var(--honey)" : best ? "var(--spruce)" : "var(--sheet)"}
                        stroke={f.is_baseline ? "var(--ember)" : "var(--spruce)"}
                        strokeWidth={1.6}
                        strokeDasharray={f.is_baseline ? "2 2" : undefined}
                        opacity={f.admitted ? 1 : 0.35}

                        onMouseEnter={() => setOver(id)}
                        onMouseLeave={() => setOver(null)}
                        onClick={() => pick({ trial: id, rule: "by hand" })}
                      >
                        <title>{`${called(f)}: ${score(f.trial.mean, f.trial.standard_error)}, ${amount(measure, f.beside!)}${far ? " (beyond the edge)" : ""}`}</title>
                      </circle>
                    );
                  })}
                </>
              )}
            </Plot>
          )
        )}
      </div>
      {measure !== null && front.length > 0 && (
        <p className="small soft">
          {front.length === 1
            ? "One trial is best on both measures: there is nothing to trade."
            : `${front.length} trials stand on the front; the dashed ring is the baseline. Click one to choose it.`}
        </p>
      )}
    </div>
  );
}

const within = (value: number, { low, high }: Ends) => Math.min(Math.max(value, low), high);

const amount = (measure: string, value: number) =>
  measure === "model size" ? bytes(value) : measure.endsWith("seconds") ? duration(value) : score(value);
