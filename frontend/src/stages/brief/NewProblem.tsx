import Button from "@mui/material/Button";
import LinearProgress from "@mui/material/LinearProgress";
import { useRef, useState } from "react";
import { useSearchParams } from "react-router";
import type { Refusal } from "../../api/client";
import { useData, useDataList, useProblem } from "../../api/hooks";
import { count, percent } from "../../lib/format";
import { BriefEditor } from "./BriefEditor";
import { emptyForm, formOf } from "./briefForm";
import { upload } from "./upload";

/** A new problem: drop a file, then frame it. With ?from= it begins as a changed copy of a frozen brief. */
export function NewProblem() {
  const [query, setQuery] = useSearchParams();
  const from = useProblem(query.get("from") ? Number(query.get("from")) : null).data ?? null;
  const hash = query.get("data") ?? from?.brief.data ?? null;
  const data = useData(hash);
  if (hash === null) return <DropFile onData={(found) => setQuery({ data: found })} />;
  if (data.isError)
    return (
      <p className="stage ember" role="alert">
        {data.error.message}
      </p>
    );
  if (!data.data || (query.get("from") && !from)) return <p className="stage soft">Reading the columns …</p>;
  const form = from ? { ...formOf(from, data.data), name: `${from.name} (changed)` } : emptyForm(data.data);
  return (
    <BriefEditor
      key={hash}
      data={data.data}
      initial={form}
      derivedFrom={from?.id ?? null}
      problem={null}
      onOtherFile={() => setQuery({})}
    />
  );
}

function DropFile({ onData }: { onData: (hash: string) => void }) {
  const [over, setOver] = useState(false);
  const [share, setShare] = useState<number | null>(null);
  const [error, setError] = useState<string | null>(null);
  const abort = useRef<() => void>(undefined);
  const input = useRef<HTMLInputElement>(null);
  const earlier = useDataList().data ?? [];
  const take = (file: File | undefined) => {
    if (!file) return;
    setError(null);
    setShare(0);
    const sent = upload(file, setShare);
    abort.current = sent.abort;
    sent.done
      .then(
        (data) => onData(data.hash),
        (refusal: Refusal) => setError(`${file.name}: ${refusal.message}`),
      )
      .finally(() => setShare(null));
  };
  return (
    <div className="stage col" style={{ maxWidth: 820, gap: 16, paddingTop: 36 }}>
      <h1>New problem</h1>
      <div
        className="sheet col"
        data-drop
        onDragOver={(event) => {
          event.preventDefault();
          setOver(true);
        }}
        onDragLeave={() => setOver(false)}
        onDrop={(event) => {
          event.preventDefault();
          setOver(false);
          take(event.dataTransfer.files[0]);
        }}
        style={{
          padding: "54px 24px",
          alignItems: "center",
          textAlign: "center",
          borderStyle: "dashed",
          borderWidth: 2,
          borderColor: over ? "var(--spruce)" : undefined,
          background: over ? "var(--spruce-tint)" : undefined,
        }}
      >
        <h2>Drop a data file here</h2>
        <p className="soft">
          CSV with a header, in UTF-8; comma, semicolon or tab. It is copied into the workspace and never changed.
        </p>
        <input
          ref={input}
          type="file"
          accept=".csv,.tsv,.txt,text/csv"
          hidden
          aria-label="Data file"
          onChange={(event) => take(event.target.files?.[0])}
        />
        {share === null ? (
          <Button variant="contained" onClick={() => input.current?.click()}>
            Choose a file
          </Button>
        ) : (
          <div style={{ width: 320 }} className="col">
            <LinearProgress variant={share < 1 ? "determinate" : "indeterminate"} value={share * 100} />
            <span className="small soft">{share < 1 ? `${percent(share)} sent` : "Reading the columns …"}</span>
            <Button onClick={() => abort.current?.()}>Stop</Button>
          </div>
        )}
        {error && (
          <p role="alert" className="ember" data-error="data">
            {error}
          </p>
        )}
      </div>
      {earlier.length > 0 && (
        <section className="col">
          <h2>Or use data that are here already</h2>
          <ul style={{ margin: 0, padding: 0, listStyle: "none" }} className="col">
            {earlier.map((data) => (
              <li key={data.hash}>
                <button
                  className="plain-button sheet row"
                  style={{ padding: "10px 14px", width: "100%" }}
                  onClick={() => onData(data.hash)}
                >
                  <b className="grow">{data.name}</b>
                  <span className="soft small">
                    {count(data.rows)} rows × {count(data.columns)} columns
                  </span>
                  <code className="soft">{data.hash.slice(0, 8)}</code>
                </button>
              </li>
            ))}
          </ul>
        </section>
      )}
    </div>
  );
}
