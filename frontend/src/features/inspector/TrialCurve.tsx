import type { TrialDetail } from "../../api/client";
import { scalar, score } from "../../lib/format";
import { Plot } from "../../charts/Plot";
import { endsOf, pathOf } from "../../charts/plotLayout";
import { useWidth } from "../../charts/useWidth";

/** A trial's folds along its iterations, and where their mean was best: to there its model is trained. */
export function TrialCurve({ trial }: { trial: TrialDetail }) {
  const [ref, width] = useWidth(390);
  const all = trial.curves.flatMap((curve) => curve.scores);
  const last = Math.max(...trial.curves.flatMap((curve) => curve.iterations));
  const counter = trial.counter ?? "iterations";
  const best = trial.best_iteration;
  const schedule = trial.final.schedule as [number, Record<string, string | number | boolean>][] | undefined;
  return (
    <div ref={ref} data-trial-curve={trial.curves.length}>
      <Plot
        width={width}
        height={168}
        across={counter}
        up={trial.metric_label}
        x={{ low: 0, high: last * 1.02 }}
        y={endsOf(all)}
        label={`${trial.metric_label} of each fold against ${counter}`}
      >
        {({ x, y, box }) => (
          <>
            {trial.curves.map((curve) => (
              <path
                key={curve.fold}
                d={pathOf(curve.iterations.map((i, place) => [x(i), y(curve.scores[place]!)]))}
                fill="none"
                stroke="var(--spruce)"
                strokeWidth={1.3}
                opacity={0.75}
              >
                <title>{`fold ${curve.fold + 1}: ${score(curve.scores.at(-1))} at the end`}</title>
              </path>
            ))}
            {best !== null && (
              <path
                d={`M${x(best)} ${box.top}V${box.bottom}`}
                stroke="var(--honey)"
                strokeWidth={2}
                strokeDasharray="5 3"
              />
            )}
          </>
        )}
      </Plot>
      {best !== null && (
        <p className="small soft below">
          Best on average after <b className="honey">{best}</b> {counter}: its scores are of there, and its model is
          trained to there.
          {trial.parent !== null && ` It goes on from trial ${trial.parent}.`}
        </p>
      )}
      {schedule && (
        <ol className="small mono flush numbered below" aria-label="Schedule">
          {schedule.map(([until, settings]) => (
            <li key={until}>
              to {until}:{" "}
              {Object.entries(settings)
                .map(([name, value]) => `${name} ${scalar(value)}`)
                .join(", ")}
            </li>
          ))}
        </ol>
      )}
    </div>
  );
}
