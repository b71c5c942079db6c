import type { Schemas } from "../../api/client";
import { useDecisions } from "../../api/decisions";
import { score } from "../../lib/format";

type Decision = Schemas["DecisionView"];

interface Props {
  learner: string;
  value: number | null;
  wrong: boolean;
  onChange: (decision: number | null) => void;
  onLearner: ((key: string) => void) | null; // null: there is no learner to choose
}

/** A signed decision, of this problem or another, whose configuration is tried first. */
export function FromDecision({ learner, value, wrong, onChange, onLearner }: Props) {
  const all = useDecisions(null).data ?? [];
  const usable = all.filter((d) => d.learner === learner);
  const other = all.find((d) => d.id === value && d.learner !== learner);
  if (other) return <OfAnother decision={other} onChange={onChange} onLearner={onLearner} />;
  if (usable.length === 0) return null;
  return (
    <label
      className="row small closer"

      title="Its configuration is the first trial, as far as this space searches it."
    >
      start from
      <select
        aria-label="Start from a decision"
        className="choice-field"
        style={{ borderColor: wrong ? "var(--ember)" : undefined }}
        value={value ?? ""}
        onChange={(e) => onChange(e.target.value ? Number(e.target.value) : null)}
      >
        <option value="">no decision</option>
        {usable.map((d) => (
          <option key={d.id} value={d.id}>
            {named(d)}
          </option>
        ))}
      </select>
    </label>
  );
}

/** A decision that this search cannot begin with: it brings its learner along, or is taken away. */
function OfAnother({ decision, onChange, onLearner }: { decision: Decision } & Pick<Props, "onChange" | "onLearner">) {
  return (
    <span className="row small wrap" role="status" data-other-learner={decision.learner}>
      <span className="ember">
        Decision {decision.id} is of {decision.learner || "own code"}, so this search does not begin with it.
      </span>
      {onLearner && decision.learner && (
        <button className="plain-button spruce" onClick={() => onLearner(decision.learner)}>
          Search {decision.learner}
        </button>
      )}
      <button className="plain-button spruce" onClick={() => onChange(null)}>
        Take it away
      </button>
    </span>
  );
}

/** The decision that a search of this learner can begin with; undefined as long as nobody knows whether it can. */
export function useStart(value: number | null, learner: string): number | null | undefined {
  const { data } = useDecisions(null);
  if (value === null) return null;
  return data && (data.find((d) => d.id === value)?.learner === learner ? value : null);
}

const named = (d: Decision) =>
  `decision ${d.id}: ${d.problem_name.split(":")[0]}, ${d.trial_name}, ${score(d.mean, d.standard_error)}`;
