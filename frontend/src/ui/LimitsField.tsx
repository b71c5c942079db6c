import TextField from "@mui/material/TextField";
import { useRef } from "react";
import type { Problem } from "../api/client";
import { beginnings, withBeginning } from "../lib/limits";

interface Props {
  value: string;
  quantities: Problem["judging"]["quantities"];
  wrong?: boolean;
  width?: number | string;
  onChange: (text: string) => void;
}

/** What the chosen configuration has to keep, as it is written; what may be limited is begun by a click. */
export function LimitsField({ value, quantities, wrong = false, width = 224, onChange }: Props) {
  const field = useRef<HTMLInputElement>(null);
  const open = beginnings(quantities, value);
  return (
    <TextField
      label="Limits"
      placeholder="such as predict ms <= 5"
      value={value}
      error={wrong}
      inputRef={field}
      title="What a trial has to keep to count as the best: predict ms <= 5, recall >= 0.8. The search looks for what keeps them."
      onChange={(event) => onChange(event.target.value)}
      slotProps={{
        inputLabel: { shrink: true },
        htmlInput: { spellCheck: false, "data-limits": true },
        input: {
          endAdornment: open.length > 0 && (
            <select
              aria-label="Limit a quantity"
              className="soft beginner"
              value=""
              onChange={(event) => {
                onChange(withBeginning(value, event.target.value));
                field.current?.focus();
              }}
            >
              <option value="" disabled>
                +
              </option>
              {open.map((beginning) => (
                <option key={beginning} value={beginning}>
                  {beginning}
                </option>
              ))}
            </select>
          ),
        },
      }}
      sx={{ width, flex: "none" }}
    />
  );
}
