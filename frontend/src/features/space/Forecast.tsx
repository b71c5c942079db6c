import type { Schemas } from "../../api/client";
import { taughtBy, taughtEach } from "../../lib/remembered";
import { count, duration, percent, plural, score } from "../../lib/format";

interface Props {
  forecast: Schemas["ForecastView"];
  automatic: boolean;
  strategies: Schemas["StrategyView"][];
}

/** What a plan will take, in two lines: fits and time with its range, then why this strategy and how far it will see. */
export function Forecast({ forecast, automatic, strategies }: Props) {
  const { seconds, seconds_low: low, seconds_high: high } = forecast;
  const label = strategies.find((s) => s.key === forecast.strategy)?.label ?? forecast.strategy;
  return (
    <>
      <b>
        {count(forecast.trials)} trials + baseline × {plural(forecast.folds, "fold")} = {count(forecast.fits)} fits
      </b>{" "}
      {seconds !== null && low !== null && high !== null ? (
        <span data-minutes>
          · about <b>{duration(seconds)}</b> on {forecast.workers} {forecast.workers === 1 ? "worker" : "workers"}{" "}
          <span className="soft">
            (likely {duration(low)} to {duration(high)}, from {count(forecast.costs_known)} known{" "}
            {forecast.costs_known === 1 ? "fit" : "fits"})
          </span>
        </span>
      ) : (
        <span className="soft">
          · on {forecast.workers} {forecast.workers === 1 ? "worker" : "workers"}; rehearse to learn how long
        </span>
      )}
      <br />
      <span data-reason>
        {automatic && <b>{label}. </b>}
        <span className="soft">{forecast.reason}</span>
      </span>
      <span
        className="soft"
        title="These are proposed while two or more other trials are still under way, so they know less than they could (short-sighted). Fewer workers see further."
      >
        {" "}
        · {percent(forecast.short_sighted)} proposed before others ended
        {forecast.starts > 0 && ` · ${forecast.starts} ${forecast.starts === 1 ? "start" : "starts"} first`}
      </span>
      {forecast.remembered.length > 0 && (
        <>
          <br />
          <span data-remembered title={taughtEach(forecast.remembered)}>
            Learns from <b>{taughtBy(forecast.remembered)}</b>{" "}
            <span className="soft">to begin with, ever less as its own trials come in</span>
          </span>
        </>
      )}
      {forecast.stopping.key !== "none" && (
        <>
          <br />
          <span data-stopping>
            <b>{forecast.stopping.label}.</b> <span className="soft">{forecast.stopping.reason}</span>{" "}
            {forecast.rungs.length > 0 && <Steps forecast={forecast} />} · about <b>{percent(forecast.work)}</b> of the
            work
          </span>
        </>
      )}
    </>
  );
}

/** How many trials will come how far. */
function Steps({ forecast }: { forecast: Schemas["ForecastView"] }) {
  const { rungs, stopping } = forecast;
  const unit = stopping.resource === "rows" ? "% of rows" : stopping.resource;
  const brackets = [...new Set(rungs.map((rung) => rung.bracket))];
  return (
    <span title="How many trials will come how far; the others end before">
      {brackets
        .map((bracket) =>
          rungs
            .filter((rung) => rung.bracket === bracket)
            .map((rung, i) => `${count(rung.trials)}${i === 0 ? " trials" : ""} see ${rung.level}`)
            .join(", then "),
        )
        .join("; ")}{" "}
      {unit}
    </span>
  );
}

/** What the rehearsal's fits did. */
export function RehearsalFits({ fits, onClose }: { fits: Schemas["RehearsalFitView"][]; onClose: () => void }) {
  const failed = fits.filter((fit) => fit.state !== "done");
  return (
    <div className="row small wrap apart above" data-rehearsal>
      <b style={{ color: failed.length > 0 ? "var(--ember)" : "var(--spruce)" }}>
        {failed.length === 0 ? "Rehearsal: it works." : `Rehearsal: ${failed.length} of ${fits.length} fits failed.`}
      </b>
      {fits.map((fit, index) => (
        <span key={index} title={JSON.stringify(fit.configuration)}>
          <span className="soft">{fit.what}</span> {duration(fit.seconds)}
          {fit.score !== null ? <span className="soft"> · {score(fit.score)}</span> : null}
          {fit.state !== "done" && (
            <span className="ember">
              {" "}
              {fit.state}
              {fit.message && `: ${fit.message.split("\n")[0]}`}
            </span>
          )}
        </span>
      ))}
      <span className="grow" />
      <button className="plain-button key" aria-label="Close the rehearsal" onClick={onClose}>
        ×
      </button>
    </div>
  );
}
