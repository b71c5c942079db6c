import Button from "@mui/material/Button";
import LinearProgress from "@mui/material/LinearProgress";
import { useRef, useState } from "react";
import type { Refusal } from "../api/client";
import { importProgress } from "../api/data";
import { upload } from "../api/upload";
import { percent } from "../lib/format";

/** A place to drop a data file, or to choose one; how far it is sent and read, and why it was refused. */
export function DropFile({ onData }: { onData: (hash: string) => void }) {
  const [over, setOver] = useState(false);
  const [share, setShare] = useState<number | null>(null);
  const [read, setRead] = useState<number | null>(null); // what the server has read of it
  const [error, setError] = useState<string | null>(null);
  const abort = useRef<() => void>(undefined);
  const input = useRef<HTMLInputElement>(null);
  const take = (file: File | undefined) => {
    if (!file) return;
    setError(null);
    setShare(0);
    const token = crypto.randomUUID();
    const sent = upload(file, token, setShare);
    const watch = window.setInterval(() => {
      void importProgress(token).then(
        (told) => setRead(told.share),
        () => undefined,
      );
    }, 400);
    abort.current = sent.abort;
    sent.done
      .then(
        (data) => onData(data.hash),
        (refusal: unknown) => setError(`${file.name}: ${(refusal as Refusal).message}`),
      )
      .finally(() => {
        window.clearInterval(watch);
        setShare(null);
        setRead(null);
      });
  };
  return (
    <div
      className="sheet col centred drop-place"
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
      style={{ borderColor: over ? "var(--spruce)" : undefined, background: over ? "var(--spruce-tint)" : undefined }}
    >
      <h2>Drop a data file here</h2>
      <p className="soft">
        CSV, TSV, Parquet or JSON Lines; encoding, delimiter and decimal sign are found out and can be corrected. The
        file is copied into the workspace and never changed.
      </p>
      <input
        ref={input}
        type="file"
        accept=".csv,.tsv,.txt,.parquet,.jsonl,.ndjson,.json,text/csv"
        hidden
        aria-label="Data file"
        onChange={(event) => take(event.target.files?.[0])}
      />
      {share === null ? (
        <Button variant="contained" onClick={() => input.current?.click()}>
          Choose a file
        </Button>
      ) : (
        <div className="col drop-progress">
          <LinearProgress
            variant={share < 1 || read !== null ? "determinate" : "indeterminate"}
            value={100 * (share < 1 ? share : (read ?? 0))}
          />
          <span className="small soft">
            {share < 1 ? `${percent(share)} sent` : `Reading the columns … ${read === null ? "" : percent(read)}`}
          </span>
          <Button onClick={() => abort.current?.()}>Stop</Button>
        </div>
      )}
      {error && (
        <p role="alert" className="ember" data-error="data">
          {error}
        </p>
      )}
    </div>
  );
}
