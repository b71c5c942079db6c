import type { Schemas } from "../../api/client";
import { useDecisions } from "../../api/decisions";
import { score } from "../../lib/format";

interface Props {
  learner: string;
  value: number | null;
  wrong: boolean;
  onChange: (decision: number | null) => void;
}

/** A signed decision, of this problem or another, whose configuration is tried first. */
export function FromDecision({ learner, value, wrong, onChange }: Props) {
  const decisions = (useDecisions(null).data ?? []).filter((d) => d.learner === learner);
  if (decisions.length === 0) return null;
  return (
    <label
      className="row small closer"

      title="Its configuration is the first trial, as far as this space searches it."
    >
      start from
      <select
        aria-label="Start from a decision"
        style={{ maxWidth: 108, borderColor: wrong ? "var(--ember)" : undefined }}
        value={value ?? ""}
        onChange={(e) => onChange(e.target.value ? Number(e.target.value) : null)}
      >
        <option value="">no decision</option>
        {decisions.map((d) => (
          <option key={d.id} value={d.id}>
            {named(d)}
          </option>
        ))}
      </select>
    </label>
  );
}

const named = (d: Schemas["DecisionView"]) =>
  `decision ${d.id}: ${d.problem_name.split(":")[0]}, trial ${d.trial_number}, ${score(d.mean, d.standard_error)}`;
