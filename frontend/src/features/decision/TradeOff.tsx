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
  const measure = weighing.beside ?? found.beside;
  const several = found.decides.length > 0;
  const known = useMemo(() => found.finalists.filter((f) => f.beside !== null), [found]);
  const front = useMemo(
    () => found.front.map((id) => known.find((f) => f.trial.id === id)).filter((f) => f !== undefined),
    [found, known],
  );
  const ends = useMemo(() => {
    // A baseline far from all others would press them into a corner: it is drawn at the edge.
    const near = known.filter((f) => !f.is_baseline);
    // Where several metrics decide the front is looked at; what lies far behind it is drawn at the edge too.
    const looked = found.decides.length ? known.filter((f) => found.front.includes(f.trial.id) || f.is_baseline) : near;
    const inside = looked.length > 1 ? looked : known;
    const room = found.decides.length ? 0.2 : 0.08;
    return {
      x: endsOf(
        inside.map((f) => f.beside!),
        room,
      ),
      y: endsOf(
        inside.map((f) => f.trial.mean!),
        room,
      ),
    };
  }, [known, found]);
  const byWeights = found.suggestions.find((s) => s.rule === "weights")?.trial_id;
  const weighed = known.find((f) => f.trial.id === byWeights);
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
            {!several && <option value="">choose a measure</option>}
            {found.measures.map((m) => (
              <option key={m.key} value={m.key}>
                {m.key} {m.larger_is_better ? "↑" : "↓"}
              </option>
            ))}
          </select>
        </label>
        <span className="grow" />
        {shown && measure !== null && (
          <span>
            <b>{called(shown)}</b>: {score(shown.trial.mean, shown.trial.standard_error)}, {measure}{" "}
            {amount(measure, shown.beside!)}
          </span>
        )}
      </div>
      {several && <ByHand found={found} weights={weighing.weights} set={set} />}
      <div ref={box}>
        {measure === null ? (
          <p className="soft centred nothing-yet">
            The best score is not always the best choice. Choose what else matters: cost, size, or another metric. The
            trials that no other beats on both stand on the front.
          </p>
        ) : known.length === 0 ? (
          <p className="soft nothing-yet">
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
                  {weighed && (
                    <circle
                      cx={x(weighed.beside!)}
                      cy={y(weighed.trial.mean!)}
                      r={12}
                      fill="none"
                      stroke="var(--honey)"
                      strokeWidth={2}
                      data-weighed={weighed.trial.number}
                    />
                  )}
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

/** Weights by hand: for two metrics a slider between them, for three as they are written. */
function ByHand({
  found,
  weights,
  set,
}: {
  found: BenchProps["found"];
  weights: string | null;
  set: (changes: Record<string, string | null>) => void;
}) {
  const names = found.decides.map((measure) => measure.key);
  const parts = (weights ?? "").split(/[\s:,;/]+/).map(Number);
  if (names.length === 2) {
    const share = parts.length === 2 ? (100 * parts[0]!) / (parts[0]! + parts[1]!) : 50;
    return (
      <label
        className="row close small"
        title={`Weigh by hand: ${names[1]} alone at the left, ${names[0]} alone at the right`}
      >
        <span className="soft">{names[1]}</span>
        <input
          type="range"
          aria-label="Weight of the score"
          className="weight-slider"
          min={0}
          max={100}
          step={5}
          value={share}
          onChange={(e) => set({ weights: `${e.target.value} ${100 - Number(e.target.value)}` })}
        />
        <span className="soft">{names[0]}</span>
        {weights && <span className="soft">{`${Math.round(share)} : ${Math.round(100 - share)}, the ring`}</span>}
      </label>
    );
  }
  return (
    <label className="row close small">
      <span className="soft">weights of {names.join(", ")}</span>
      <input
        aria-label="Weights"
        placeholder="2 1 1"
        defaultValue={weights ?? ""}
        className="figure-field"
        onBlur={(e) => set({ weights: e.target.value.trim() || null })}
      />
    </label>
  );
}

const within = (value: number, { low, high }: Ends) => Math.min(Math.max(value, low), high);

const amount = (measure: string, value: number) =>
  measure === "model size" ? bytes(value) : measure.endsWith("seconds") ? duration(value) : score(value);
