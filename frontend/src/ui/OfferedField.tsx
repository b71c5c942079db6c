import TextField from "@mui/material/TextField";
import { useId } from "react";

interface Props {
  label: string;
  placeholder: string;
  title: string;
  value: string;
  offered: string[]; // what the text could go on with
  wrong: boolean;
  width: number | string;
  mark: Record<`data-${string}`, boolean>;
  onChange: (text: string) => void;
}

/** Something that is written, with what it could go on with offered while one types. */
export function OfferedField({ label, placeholder, title, value, offered, wrong, width, mark, onChange }: Props) {
  const list = useId();
  return (
    <>
      <TextField
        {...{ label, placeholder, title, value }}
        error={wrong}
        onChange={(event) => onChange(event.target.value)}
        slotProps={{
          inputLabel: { shrink: true },
          htmlInput: { spellCheck: false, autoComplete: "off", list, ...mark },
        }}
        sx={{ width, flex: "none" }}
      />
      <datalist id={list}>
        {offered.map((text) => (
          <option key={text} value={text} />
        ))}
      </datalist>
    </>
  );
}
