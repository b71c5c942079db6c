import TextField from "@mui/material/TextField";
import { useState } from "react";
import { isWrong, readAmount, wanted, type AmountRule } from "../lib/amount";

interface Props {
  label: string;
  value: number | "";
  rule: AmountRule;
  hint?: string;
  width: number;
  wrong?: boolean; // as the server says
  onValue: (value: number | "") => void;
}

/** A number that stays as it was typed; NaN is told where it is none, and the field says at once what would be. */
export function NumberField({ label, value, rule, hint, width, wrong = false, onValue }: Props) {
  const [typed, setTyped] = useState<string | null>(null);
  // What was typed stands as long as it means what is held: it may have been changed from elsewhere since.
  const stands = typed !== null && Object.is(readAmount(typed, rule), value);
  const amiss = isWrong(value);
  return (
    <TextField
      label={label}
      placeholder={hint}
      value={stands ? typed : amiss ? "" : value}
      error={wrong || amiss}
      title={amiss ? `${label}: ${wanted(rule)}` : undefined}
      onChange={(event) => {
        setTyped(event.target.value);
        onValue(readAmount(event.target.value, rule));
      }}
      slotProps={{ inputLabel: { shrink: true }, htmlInput: { inputMode: rule.whole ? "numeric" : "decimal" } }}
      sx={{ width, flex: "none" }}
    />
  );
}
