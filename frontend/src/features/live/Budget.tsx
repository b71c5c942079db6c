import Button from "@mui/material/Button";
import { useState } from "react";
import type { Search } from "../../api/client";
import { useBudget } from "../../api/searches";

type Field = "trials" | "minutes" | "target score" | "no gain in";
const FIELDS: Record<Field, string> = {
  trials: "trials",
  minutes: "minutes",
  "target score": "until score",
  "no gain in": "no gain in trials",
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
  const limits = Object.fromEntries(
    Object.entries(typed).map(([field, text]) => [field, text === "" ? null : Number(text)]),
  );
  return (
    <section className="sheet col padded near" aria-label="Budget">
      <div className="row small wrap apart">
        {(Object.keys(FIELDS) as Field[]).map((field) => (
          <label key={field} className="row close">
            {FIELDS[field]}
            <input
              type="number"
              step="any"
              placeholder="none"
              aria-label={`Budget: ${FIELDS[field]}`}
              value={typed[field] ?? held[field] ?? ""}
              onChange={(event) => setTyped({ ...typed, [field]: event.target.value })}
              style={{ width: 76 }}
            />
          </label>
        ))}
        <span className="grow" />
        <Button onClick={onClose}>Cancel</Button>
        <Button variant="contained" disabled={change.isPending} onClick={() => change.mutate(limits)}>
          Change
        </Button>
      </div>
      <p className="small soft">The first budget that is reached ends the search.</p>
      {change.error && (
        <p role="alert" className="ember small">
          {change.error.message}
        </p>
      )}
    </section>
  );
}
