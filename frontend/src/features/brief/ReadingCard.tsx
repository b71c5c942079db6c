import TextField from "@mui/material/TextField";
import { useState } from "react";
import type { Data, Schemas } from "../../api/client";

export type Reading = Schemas["ReadingRequest"];

const FORMATS: Record<string, string> = { csv: "Text table", parquet: "Parquet", jsonl: "JSON Lines" };
const DELIMITERS: Record<string, string> = { ",": "comma", ";": "semicolon", "\t": "tab", "|": "bar" };
const ENCODINGS =
  "utf-8 utf-16 cp1252 cp1250 cp1251 iso8859-1 iso8859-2 iso8859-15 mac-roman shift_jis gb18030 big5 euc-kr";

interface Props {
  data: Data;
  busy: boolean;
  error: string | null;
  onReading: (part: Partial<Reading>) => void;
}

/** How the file was read; every part can be corrected, which reads the kept file anew. */
export function ReadingCard({ data, busy, error, onReading }: Props) {
  const [open, setOpen] = useState(false);
  const [rows, setRows] = useState(false);
  const { reading } = data;
  if (!reading.format) return null;
  const words = [
    FORMATS[reading.format],
    reading.encoding,
    reading.delimiter && `columns parted by ${DELIMITERS[reading.delimiter] ?? reading.delimiter}`,
    reading.decimal === "," && "decimal comma",
  ].filter(Boolean);
  const pick = (
    label: string,
    name: "encoding" | "delimiter" | "quote" | "decimal",
    options: Record<string, string>,
  ) => (
    <TextField
      label={label}
      select
      disabled={busy}
      slotProps={{ select: { native: true } }}
      value={reading[name]}
      onChange={(e) => onReading({ [name]: e.target.value })}
      sx={{ minWidth: 104 }}
    >
      {Object.entries(options).map(([value, shown]) => (
        <option key={value} value={value}>
          {shown}
        </option>
      ))}
    </TextField>
  );
  return (
    <div className="col near" data-reading={data.hash}>
      <p className="small soft">
        Read as {words.join(", ")}.{" "}
        {reading.format === "csv" && (
          <button
            className="plain-button small spruce"

            aria-expanded={open}
            onClick={() => setOpen(!open)}
          >
            {open ? "close" : "correct"}
          </button>
        )}
        {" · "}
        <button
          className="plain-button small spruce"

          aria-expanded={rows}
          data-preview
          onClick={() => setRows(!rows)}
        >
          {rows ? "hide the first rows" : "first rows"}
        </button>
        {busy && " Reading anew …"}
      </p>
      {rows && <FirstRows data={data} />}
      {reading.notes.map((note) => (
        <p key={note} className="small honey">
          {note}
        </p>
      ))}
      {error && (
        <p role="alert" className="ember small" data-error="reading">
          {error}
        </p>
      )}
      {open && (
        <div className="row wrap">
          {pick("Encoding", "encoding", Object.fromEntries(ENCODINGS.split(" ").map((e) => [e, e])))}
          {pick("Columns parted by", "delimiter", DELIMITERS)}
          {pick("Quotes", "quote", { '"': '"double"', "'": "'single'" })}
          {pick("Decimal sign", "decimal", { ".": "point", ",": "comma" })}
        </div>
      )}
    </div>
  );
}

/** The first rows as they were read: the quickest way to see that a file was taken apart rightly. */
function FirstRows({ data }: { data: Data }) {
  const columns = data.columns.slice(0, 60);
  const count = Math.max(0, ...columns.map((c) => c.examples.length));
  return (
    <div className="sheet scrolls edged">
      <table className="small collapsed one-line" aria-label="First rows">
        <thead>
          <tr>
            {columns.map((c) => (
              <th className="left strong cell" key={c.name} scope="col">
                {c.name}
              </th>
            ))}
          </tr>
        </thead>
        <tbody className="mono">
          {Array.from({ length: count }, (_, i) => (
            <tr className="ruled" key={i}>
              {columns.map((c) => (
                <td key={c.name} className="cell" style={{ color: c.examples[i] ? undefined : "var(--soft)" }}>
                  {c.examples[i] || "–"}
                </td>
              ))}
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}
