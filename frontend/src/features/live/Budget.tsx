import Button from "@mui/material/Button";
import { useState } from "react";
import type { Search } from "../../api/client";
import { useBudget } from "../../api/searches";
import { isWrong, readAmount, wanted, type AmountRule } from "../../lib/amount";

type Field = "trials" | "minutes" | "target score" | "no gain in";
const FIELDS: Record<Field, string> = {
  trials: "trials",
  minutes: "minutes",
  "target score": "until score",
  "no gain in": "no gain in trials",
};

const RULES: Record<Field, AmountRule> = {
  trials: { whole: true, least: 1 },
  minutes: { least: 0, empty: true },
  "target score": { empty: true },
  "no gain in": { whole: true, least: 1, empty: true },
};

/** The budgets of a running search, to be raised, lowered or taken away. */
export function Budget({ search, onClose }: { search: Search; onClose: () => void }) {
  const held: Record<Field, number | null> = {
    trials: search.budget_trials,
    minutes: search.budget_minutes,
    "target score": search.target_score,
    "no gain in": search.no_gain_in,
  };
  const [typed, setTyped] = useState<Partial<Record<Field, string>>>({});
  const change = useBudget(search, onClose);
  const read = Object.entries(typed).map(([field, text]) => [field, readAmount(text, RULES[field as Field])] as const);
  const limits = Object.fromEntries(read.map(([field, value]) => [field, value === "" ? null : value]));
  const mistyped = read.filter(([, value]) => isWrong(value)).map(([field]) => field as Field);
  return (
    <section className="sheet col padded near" aria-label="Budget">
      <div className="row small wrap apart">
        {(Object.keys(FIELDS) as Field[]).map((field) => (
          <label key={field} className="row close">
            {FIELDS[field]}
            <input
              inputMode="decimal"
              aria-invalid={mistyped.includes(field)}
              placeholder="none"
              aria-label={`Budget: ${FIELDS[field]}`}
              value={typed[field] ?? held[field] ?? ""}
              onChange={(event) => setTyped({ ...typed, [field]: event.target.value })}
              className="figure-field"
            />
          </label>
        ))}
        <span className="grow" />
        <Button onClick={onClose}>Cancel</Button>
        <Button
          variant="contained"
          disabled={change.isPending || mistyped.length > 0}
          onClick={() => change.mutate(limits)}
        >
          Change
        </Button>
      </div>
      <p className="small soft">The first budget that is reached ends the search.</p>
      {mistyped.map((field) => (
        <p key={field} role="alert" className="ember small">
          {`${FIELDS[field]}: ${wanted(RULES[field])}.`}
        </p>
      ))}
      {change.error && (
        <p role="alert" className="ember small">
          {change.error.message}
        </p>
      )}
    </section>
  );
}
