import type { TableProblem } from "../../api/client";
import { useBaselines, useScoreBaselines } from "../../api/problems";
import { useCatalogue } from "../../api/workspace";
import { duration, withError } from "../../lib/format";
import { foldEffects, scoreScale } from "../../lib/ramp";
import { FoldRing } from "../../charts/FoldRing";

/** The default configuration of each learner, scored on all folds: the reference line of everything later. */
export function Baselines({ problem }: { problem: TableProblem }) {
  const found = useBaselines(problem.id).data ?? [];
  const learners = useCatalogue().data?.learners ?? [];
  const more = useScoreBaselines(problem.id);
  const away = learners.filter(
    (l) => l.installed && l.tasks.includes(problem.brief.task) && !found.some((b) => b.learner === l.key),
  );
  const scale = scoreScale(
    found.map((b) => b.score),
    problem.judging.larger_is_better,
    foldEffects(found.map((b) => b.folds)),
  );
  return (
    <div className="sheet col padded near" data-baselines={found.length}>
      <h2>Baselines: the defaults, before anything is searched</h2>
      {found.length === 0 && (
        <p className="small soft">
          None is scored yet. Choose a learner, or launch a search: its baseline comes first.
        </p>
      )}
      {found.length > 0 && (
        <table className="small full spaced-rows">
          <tbody>
            {found.map((b) => (
              <tr key={b.learner} data-baseline={b.learner} data-state={b.state}>
                <td className="mark-column">
                  <FoldRing scores={b.folds} folds={problem.judging.fits} state={b.state} scale={scale} size={18} />
                </td>
                <th className="left medium" scope="row">
                  {b.label}
                </th>
                <td className="right strong one-line">
                  {b.score !== null ? withError(b.score, b.standard_error) : <span className="soft">{b.state}</span>}
                </td>
                <td className="soft right one-line score-column">{b.seconds > 0 && duration(b.seconds)}</td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {found
        .filter((b) => b.state === "failed")
        .map((b) => (
          <p key={b.learner} className="ember small">
            {b.label}: {b.reason}
          </p>
        ))}
      {more.error && (
        <p role="alert" className="ember small" data-error="baselines">
          {more.error.message}
        </p>
      )}
      {away.length > 0 && (
        <div className="row wrap close">
          <span className="small soft">Score the defaults of</span>
          {away.map((l) => (
            <button
              key={l.key}
              className="plain-button tag"
              title={l.sentence}
              disabled={more.isPending}
              onClick={() => more.mutate([l.key])}
            >
              + {l.label}
            </button>
          ))}
        </div>
      )}
    </div>
  );
}
