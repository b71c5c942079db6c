import type { Curves } from "../../api/client";
import { plural } from "../../lib/format";

/** The rungs of a search as steps: who came, and what became of them there. */
export function Rungs({ curves, counter }: { curves: Curves; counter: string }) {
  if (curves.ladder.length === 0) return null;
  const most = Math.max(...curves.ladder.map((rung) => rung.reached), 1);
  const many = new Set(curves.ladder.map((rung) => rung.bracket)).size > 1;
  const unit = curves.resource === "rows" ? "% of the rows" : curves.resource === "iterations" ? counter : "folds";
  return (
    <section className="sheet col padded closer" data-rungs aria-label="Rungs">
      <h2>{many ? "Brackets and rungs" : "Rungs"}</h2>
      {[...curves.ladder].reverse().map((rung) => {
        const on = rung.done - rung.parked - rung.ended_early;
        const part = (n: number, background: string, what: string) =>
          n > 0 && <span key={what} title={`${n} ${what}`} style={{ width: `${(100 * n) / most}%`, background }} />;
        const words = [
          rung.running > 0 && `${rung.running} under way`,
          rung.parked > 0 && `${rung.parked} waiting`,
          rung.ended_early > 0 && `${rung.ended_early} ended early`,
        ].filter(Boolean);
        return (
          <div key={`${rung.bracket}/${rung.rung}`} className="small" data-rung={rung.level}>
            <div className="row near">
              <b className="one-line trial-column">
                {many && <span className="soft">{String.fromCharCode(65 + rung.bracket)} </span>}
                {rung.level} <span className="soft plain">{unit}</span>
              </b>
              <span className="soft cut grow right">
                {plural(rung.reached, "trial")}
                {words.length > 0 && ` · ${words.join(" · ")}`}
              </span>
            </div>
            <div className="sunk rung-bar">
              {part(
                Math.max(on, 0),
                "var(--spruce)",
                rung.level === curves.levels.at(-1) ? "scored in full" : "went on",
              )}
              {part(rung.running, "var(--honey)", "under way")}
              {part(rung.parked, "var(--soft)", "waiting")}
              {part(rung.ended_early, "var(--ember)", "ended early")}
            </div>
          </div>
        );
      })}
    </section>
  );
}
