import TextField from "@mui/material/TextField";
import { useId } from "react";
import type { Problem } from "../api/client";
import { completions } from "../lib/limits";

interface Props {
  value: string;
  quantities: Problem["judging"]["quantities"];
  wrong?: boolean;
  width?: number | string;
  onChange: (text: string) => void;
}

/** What the chosen configuration has to keep, as it is written; what may be limited is offered while one types. */
export function LimitsField({ value, quantities, wrong = false, width = 224, onChange }: Props) {
  const offered = useId();
  return (
    <>
      <TextField
        label="Limits"
        placeholder="such as predict ms <= 5"
        value={value}
        error={wrong}
        title={`What a trial has to keep to count as the best; the search looks for what does. Measured: ${quantities.map((one) => one.measure).join(", ")}.`}
        onChange={(event) => onChange(event.target.value)}
        slotProps={{
          inputLabel: { shrink: true },
          htmlInput: { spellCheck: false, autoComplete: "off", list: offered, "data-limits": true },
        }}
        sx={{ width, flex: "none" }}
      />
      <datalist id={offered}>
        {completions(quantities, value).map((text) => (
          <option key={text} value={text} />
        ))}
      </datalist>
    </>
  );
}
