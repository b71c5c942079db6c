import TextField from "@mui/material/TextField";
import { useId } from "react";
import { goingOn } from "../lib/limits";

interface Props {
  value: string;
  offered: string[];
  metric: string;
  wrong?: boolean;
  width?: number | string;
  onChange: (text: string) => void;
}

/** What the score is weighed against, as it is written; what is measured is offered while one types. */
export function AgainstField({ value, offered, metric, wrong = false, width = 172, onChange }: Props) {
  const list = useId();
  return (
    <>
      <TextField
        label="Weighed against"
        placeholder="nothing"
        value={value}
        error={wrong}
        title={`What ${metric || "the score"} is weighed against, up to two metrics: the search looks for the front, where none is better in all of them. Measured: ${offered.join(", ")}.`}
        onChange={(event) => onChange(event.target.value)}
        slotProps={{
          inputLabel: { shrink: true },
          htmlInput: { spellCheck: false, autoComplete: "off", list, "data-against": true },
        }}
        sx={{ width, flex: "none" }}
      />
      <datalist id={list}>
        {goingOn(offered, value).map((text) => (
          <option key={text} value={text} />
        ))}
      </datalist>
    </>
  );
}
