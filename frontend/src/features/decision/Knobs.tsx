import { useState } from "react";
import type { Finalists } from "../../api/decisions";
import { isWrong, readAmount, wanted, type AmountRule } from "../../lib/amount";
import { figure } from "../../lib/format";
import { useWeighing } from "./useWeighing";

/** A number that takes effect when it is left or Enter is pressed. */
function NumberField({
  label,
  value,
  placeholder,
  rule = {},
  onSet,
}: {
  label: string;
  value: number | null;
  placeholder?: string;
  rule?: AmountRule;
  onSet: (value: number | null) => void;
}) {
  const [text, setText] = useState<string | null>(null);
  const read = text === null ? null : readAmount(text, { empty: true, ...rule });
  const amiss = isWrong(read);
  const done = () => {
    if (read === null || amiss) return;
    setText(null);
    onSet(read === "" ? null : read);
  };
  return (
    <input
      inputMode="decimal"
      aria-label={label}
      aria-invalid={amiss}
      title={amiss ? `${label}: ${wanted({ empty: true, ...rule })}` : undefined}
      className="figure-field"
      value={text ?? value ?? ""}
      placeholder={placeholder}
      onChange={(e) => setText(e.target.value)}
      onBlur={done}
      onKeyDown={(e) => e.key === "Enter" && done()}
    />
  );
}

/** The region of practical equivalence: how small a difference nobody minds. */
export function Region({ found }: { found: Finalists }) {
  const { weighing, set } = useWeighing();
  return (
    <label className="row close" title="Trials whose scores differ by less count as the same">
      <span className="soft">The same within ±</span>
      <NumberField
        label="Difference that does not matter"
        value={weighing.region}
        placeholder={figure(found.region)}
        rule={{ least: 0 }}
        onSet={(v) => set({ region: v })}
      />
    </label>
  );
}

/** A limit on another measure that the chosen trial has to keep. */
export function Limit({ found }: { found: Finalists }) {
  const { weighing, set } = useWeighing();
  const [draft, setDraft] = useState(weighing.limitOn);
  const measure = found.measures.find((m) => m.key === draft);
  return (
    <span className="row close">
      <span className="soft">Only with</span>
      <select
        aria-label="Measure with a limit"
        className="choice-field"
        value={draft ?? ""}
        onChange={(e) => {
          setDraft(e.target.value || null);
          set({ limit_on: null, limit: null });
        }}
      >
        <option value="">no limit</option>
        {found.measures.map((m) => (
          <option key={m.key} value={m.key}>
            {m.key}
          </option>
        ))}
      </select>
      {measure && (
        <>
          <span>{measure.larger_is_better ? "≥" : "≤"}</span>
          <NumberField
            label={`Limit on ${measure.key}`}
            value={weighing.limit}
            onSet={(v) => set({ limit_on: v === null ? null : measure.key, limit: v })}
          />
        </>
      )}
    </span>
  );
}
