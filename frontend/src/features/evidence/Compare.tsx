import Button from "@mui/material/Button";
import { useQueries } from "@tanstack/react-query";
import type { Problem, TrialDetail } from "../../api/client";
import { trialQuery } from "../../api/trials";
import { FoldRing } from "../../charts/FoldRing";
import { duration, scalar, withError } from "../../lib/format";
import { scoreScale } from "../../lib/ramp";

interface Props {
  ids: number[];
  problem: Problem;
  onLeave: (id: number) => void;
  onEnd: () => void;
  inspect: (id: number) => void;
}

/** Settings of which not all of the trials have the same value come first. */
export function settingsOf(trials: Pick<TrialDetail, "configuration">[]): { name: string; differs: boolean }[] {
  const names = [...new Set(trials.flatMap((t) => Object.keys(t.configuration)))];
  const found = names.map((name) => ({
    name,
    differs: new Set(trials.map((t) => JSON.stringify(t.configuration[name] ?? null))).size > 1,
  }));
  return [...found.filter((one) => one.differs), ...found.filter((one) => !one.differs)];
}

/** Two to five trials side by side, setting by setting. */
export function Compare({ ids, problem, onLeave, onEnd, inspect }: Props) {
  const answers = useQueries({ queries: ids.map(trialQuery) });
  const trials = answers.flatMap((answer) => (answer.data ? [answer.data] : []));
  const scale = scoreScale(
    trials.map((t) => t.mean),
    problem.judging.larger_is_better,
  );
  return (
    <section className="sheet scrolls" aria-label="Trials side by side" data-compare={ids.length}>
      <table className="collapsed full compared">
        <thead>
          <tr>
            <th className="left">
              <div className="row closer">
                <h2>Side by side</h2>
                <Button size="small" onClick={onEnd}>
                  End
                </Button>
              </div>
            </th>
            {trials.map((t) => (
              <th key={t.id} className="left medium">
                <button className="plain-button spruce" onClick={() => inspect(t.id)}>
                  {t.origin === "baseline" ? "Baseline" : `Trial ${t.number}`}
                </button>{" "}
                <button
                  className="plain-button soft"
                  aria-label={`Leave trial ${t.number} out`}
                  onClick={() => onLeave(t.id)}
                >
                  ×
                </button>
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          <tr className="underlined">
            <td>{problem.judging.metric_label}</td>
            {trials.map((t) => (
              <td key={t.id} className="mono one-line">
                {t.mean === null
                  ? t.state
                  : withError(
                      t.mean,
                      t.standard_error,
                      trials.map((o) => o.mean),
                    )}
              </td>
            ))}
          </tr>
          <tr className="underlined">
            <td>folds</td>
            {trials.map((t) => (
              <td key={t.id}>
                <FoldRing scores={t.scores} folds={problem.judging.fits} state={t.state} scale={scale} />
              </td>
            ))}
          </tr>
          <tr className="underlined">
            <td>cost</td>
            {trials.map((t) => (
              <td key={t.id} className="one-line">
                {duration(t.seconds)}
              </td>
            ))}
          </tr>
          {settingsOf(trials).map(({ name, differs }) => (
            <tr key={name} className="underlined" data-differs={differs}>
              <td className={differs ? "mono strong" : "mono soft"}>{name}</td>
              {trials.map((t) => (
                <td key={t.id} className={differs ? "mono" : "mono soft"}>
                  {name in t.configuration ? scalar(t.configuration[name]) : "–"}
                </td>
              ))}
            </tr>
          ))}
        </tbody>
      </table>
      {trials.length === 1 && <p className="small soft padded">Mark another trial to compare it with this one.</p>}
    </section>
  );
}
