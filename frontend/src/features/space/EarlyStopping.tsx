import TextField from "@mui/material/TextField";
import type { Schemas } from "../../api/client";

interface Props {
  rules: Schemas["RuleView"][];
  alone: boolean; // the strategy ends weak trials itself
  value: string;
  wrong: boolean;
  onRule: (key: string) => void;
}

/** Which rule ends weak trials. */
export function EarlyStopping({ rules, alone, value, wrong, onRule }: Props) {
  return (
    <TextField
      label="Early stopping"
      select
      disabled={alone}
      slotProps={{ select: { native: true }, inputLabel: { shrink: true } }}
      value={alone ? "none" : value}
      error={wrong}
      onChange={(e) => onRule(e.target.value)}
      sx={{ width: 192 }}
    >
      {rules.map((r) => (
        <option key={r.key} value={r.key}>
          {r.label}
        </option>
      ))}
    </TextField>
  );
}
