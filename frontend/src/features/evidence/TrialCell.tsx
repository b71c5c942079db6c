import type { PagedTrial } from "../../api/trials";
import { FoldRing } from "../../charts/FoldRing";
import { count, duration, plural, scalar, score, withError } from "../../lib/format";
import type { ScoreScale } from "../../lib/ramp";
import type { Column } from "./trialColumns";

interface Props {
  trial: PagedTrial;
  column: Column;
  beside: (number | null | undefined)[]; // scores of the rows next to it
  best: boolean;
  folds: number;
  scale: ScoreScale;
  pin: React.CSSProperties | undefined;
}

/** What stands in a column of a trial's row. */
export function TrialCell({ trial, column, beside, best, folds, scale, pin }: Props) {
  const cell = (words: string) => ({ role: "cell", className: pin ? `${words} pinned` : words, style: pin });
  switch (column.kind) {
    case "search":
      return <span {...cell("mono soft")}>{trial.search_number || "–"}</span>;
    case "number":
      return <span {...cell("mono")}>{trial.origin === "baseline" ? "base" : trial.number}</span>;
    case "folds":
      return (
        <span {...cell("")}>
          <FoldRing scores={trial.scores} folds={folds} state={trial.state} scale={scale} />
        </span>
      );
    case "score":
      return (
        <span
          {...cell(
            best
              ? "honey bold"
              : trial.state === "failed"
                ? "ember cut medium"
                : trial.keeps === false
                  ? "soft cut medium"
                  : "cut medium",
          )}
          title={trial.keeps === false ? "It breaks a limit of its search." : trial.reason}
        >
          {trial.keeps === false && <span className="ember">✗ </span>}
          <Score trial={trial} beside={beside} />
        </span>
      );
    case "seconds":
      return <span {...cell("small")}>{duration(trial.seconds)}</span>;
    case "recorded":
      return <span {...cell("mono small")}>{score(trial.recorded[column.key])}</span>;
    case "setting":
      return (
        <span {...cell("mono cut")} title={scalar(trial.configuration[column.key])}>
          {column.key in trial.configuration ? scalar(trial.configuration[column.key]) : ""}
        </span>
      );
    case "seen":
      return (
        <span
          {...cell("small soft")}
          title={`Proposed with ${plural(trial.seen, "result")} known and ${plural(trial.pending, "trial")} still under way`}
        >
          {count(trial.seen)}
        </span>
      );
  }
}

/** The mean; of a trial that ended before, its state, what its folds had come to, and why. */
function Score({ trial, beside }: { trial: PagedTrial; beside: (number | null | undefined)[] }) {
  if (trial.mean !== null) return withError(trial.mean, trial.standard_error, beside);
  const folds = trial.scores.filter((s): s is number => s !== null);
  const part = folds.length ? score(folds.reduce((sum, s) => sum + s, 0) / folds.length) : "";
  return (
    <>
      {trial.state}
      {part && (
        <span className="soft" title={`${part} is the mean of the folds so far. ${trial.reason}`}>
          {" "}
          · {part}
        </span>
      )}
      {!part && trial.reason && <span className="soft"> · {trial.reason}</span>}
    </>
  );
}
