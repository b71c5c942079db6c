import { useWeighing } from "./useWeighing";
import type { BenchProps } from "./bench";

const COSTS = ["fit seconds", "prediction seconds", "model size"];

/** What each rule chooses, with its reason in words. */
export function Rules({ found, chosen, pick, rule }: BenchProps & { rule: string }) {
  const { weighing, set } = useWeighing();
  return (
    <section className="sheet col padded near">
      <div className="row">
        <h2 className="grow">What the rules say</h2>
        <select
          className="small"
          aria-label="What cheapness is measured by"
          title="What cheapness is measured by"
          value={weighing.cost}
          onChange={(e) => set({ cost: e.target.value === "fit seconds" ? null : e.target.value })}
        >
          {COSTS.filter((c) => found.measures.some((m) => m.key === c)).map((c) => (
            <option key={c} value={c}>
              {c}
            </option>
          ))}
        </select>
      </div>
      {found.suggestions.map((s) => (
        <button
          key={s.rule}
          className="plain-button col rule-chosen"
          style={{
            background: s.trial_id === chosen.trial.id && s.rule === rule ? "var(--honey-tint)" : "var(--sunk)",
          }}
          onClick={() => pick({ trial: s.trial_id, rule: s.rule })}
          data-rule={s.rule}
          aria-pressed={s.trial_id === chosen.trial.id && s.rule === rule}
        >
          <b>{s.label[0]!.toUpperCase() + s.label.slice(1)}</b>
          <span className="small">{s.reason}</span>
        </button>
      ))}
    </section>
  );
}
