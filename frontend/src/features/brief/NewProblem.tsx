import Button from "@mui/material/Button";
import LinearProgress from "@mui/material/LinearProgress";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useRef, useState, type ReactNode } from "react";
import { useSearchParams } from "react-router";
import { isCode, isTable, type Data, type Problem, type Refusal } from "../../api/client";
import { keys } from "../../api/keys";
import { importProgress, readAgain, useData, useDataList } from "../../api/data";
import { useProblem } from "../../api/problems";
import { dropDraft, keepDraft, readDraft } from "../../lib/kept";
import { count, percent } from "../../lib/format";
import { BriefEditor } from "./BriefEditor";
import { CodeEditor } from "./code/CodeEditor";
import { codeFormOf, emptyCode } from "./code/codeForm";
import { DOORS, Doors } from "./Doors";
import { ReadingCard, type Reading } from "./ReadingCard";
import { emptyForm, formOf, type BriefForm } from "./briefForm";
import { upload } from "./upload";

/** A new problem: drop a file, then frame it. With ?from= it begins as a changed copy of a frozen brief. */
export function NewProblem() {
  const [query, setQuery] = useSearchParams();
  const from = useProblem(query.get("from") ? Number(query.get("from")) : null).data ?? null;
  const hash = query.get("data") ?? from?.brief?.data ?? null;
  const data = useData(hash);
  const door = DOORS.find((d) => d === query.get("what")) ?? DOORS[0];
  const doors = <Doors door={door} onDoor={(next) => setQuery(next === DOORS[0] ? {} : { what: next })} />;
  if (query.get("from") && !from) return <p className="stage soft">Reading the brief …</p>;
  if (from && isCode(from))
    return <CodeEditor initial={{ ...codeFormOf(from), name: `${from.name} (changed)` }} problem={null} />;
  if (hash === null && door !== "data file")
    return (
      <>
        <div className="stage">{doors}</div>
        <CodeEditor key={door} initial={emptyCode(KINDS[door])} problem={null} />
      </>
    );
  if (hash === null) return <DropFile doors={doors} onData={(found) => setQuery({ data: found })} />;
  if (data.isError)
    return (
      <p className="stage ember" role="alert">
        {data.error.message}
      </p>
    );
  if (!data.data) return <p className="stage soft">Reading the columns …</p>;
  return (
    <Framing
      data={data.data}
      from={from}
      onData={(next) => setQuery(from ? { from: String(from.id), data: next } : { data: next }, { replace: true })}
      onOtherFile={() => setQuery({})}
    />
  );
}

interface FramingProps {
  data: Data;
  from: Problem | null;
  onData: (hash: string) => void;
  onOtherFile: () => void;
}

/** The brief of a file, and how the file is read: a corrected reading keeps what was said of the brief so far. */
function Framing({ data, from, onData, onOtherFile }: FramingProps) {
  const draft = `pellux-brief-${from ? `from-${from.id}` : data.source}`;
  const [form, setForm] = useState<BriefForm | null>(() => heldFor(data, readDraft(draft, "") as BriefForm | null));
  const [anew, setAnew] = useState<"" | "restored" | "anew">(form ? "restored" : "");
  const client = useQueryClient();
  const correct = useMutation<Data, Refusal, Partial<Reading>>({
    mutationFn: (part) => {
      const { reading } = data;
      const types = { ...reading.types, ...part.types };
      const whole =
        reading.format === "csv" ? reading : { format: "", encoding: "", delimiter: "", quote: "", decimal: "" };
      const { format, encoding, delimiter, quote, decimal } = whole;
      const body = { format, encoding, delimiter, quote, decimal, ...part, types };
      return readAgain(data.hash, body);
    },
    onSuccess: (read, part) => {
      client.setQueryData(keys.data(read.hash), read);
      // Whoever gives a column a type means to use it.
      const meant = Object.keys(part.types ?? {});
      setForm((held) => held && { ...held, ignored: held.ignored.filter((name) => !meant.includes(name)) });
      onData(read.hash);
    },
  });
  const first = from && isTable(from) ? { ...formOf(from, data), name: `${from.name} (changed)` } : emptyForm(data);
  const left = form && { ...form, ignored: [...new Set([...form.ignored, ...unusable(data, form)])] };
  return (
    <BriefEditor
      key={`${data.hash} ${anew === "anew"}`}
      data={data}
      initial={left ?? first}
      derivedFrom={from?.id ?? null}
      problem={null}
      onOtherFile={onOtherFile}
      onForm={(next) => {
        setForm(next);
        keepDraft(draft, "", next);
      }}
      onSaved={() => dropDraft(draft)}
      onType={(column, type) => correct.mutate({ types: { [column]: type } })}
      reading={
        <>
          {anew === "restored" && (
            <p className="small soft" data-restored>
              This is your draft from before.{" "}
              <button
                className="plain-button spruce"
                onClick={() => {
                  dropDraft(draft);
                  setForm(null);
                  setAnew("anew");
                }}
              >
                Begin anew
              </button>
            </p>
          )}
          <ReadingCard
            data={data}
            busy={correct.isPending}
            error={correct.error?.message ?? null}
            onReading={correct.mutate}
          />
        </>
      }
    />
  );
}

/** A draft of this file's brief; of another file's it would name columns that are not there. */
function heldFor(data: Data, draft: BriefForm | null): BriefForm | null {
  const names = new Set(data.columns.map((c) => c.name));
  const meant = draft ? [draft.target, ...Object.values(draft.roles)].filter((name) => name !== "") : [];
  return draft && meant.every((name) => names.has(name)) ? draft : null;
}

/** Columns that the new reading made useless as features. */
function unusable(data: Data, form: BriefForm): string[] {
  const named = [form.target, ...Object.values(form.roles), ...form.ignored];
  return data.columns.filter((c) => c.type === "text" && !named.includes(c.name)).map((c) => c.name);
}

const KINDS = { program: "program", function: "function", "outside loop": "outside" } as const;

function DropFile({ doors, onData }: { doors: ReactNode; onData: (hash: string) => void }) {
  const [over, setOver] = useState(false);
  const [share, setShare] = useState<number | null>(null);
  const [read, setRead] = useState<number | null>(null); // what the server has read of it
  const [error, setError] = useState<string | null>(null);
  const abort = useRef<() => void>(undefined);
  const input = useRef<HTMLInputElement>(null);
  const earlier = useDataList().data ?? [];
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
    <div className="stage col apart" style={{ maxWidth: 820, paddingTop: 36 }}>
      {doors}
      <div
        className="sheet col centred"
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
          borderStyle: "dashed",
          borderWidth: 2,
          borderColor: over ? "var(--spruce)" : undefined,
          background: over ? "var(--spruce-tint)" : undefined,
        }}
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
          <div style={{ width: 320 }} className="col">
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
      {earlier.length > 0 && (
        <section className="col">
          <h2>Or use data that are here already</h2>
          <ul style={{ padding: 0 }} className="col flush unmarked">
            {earlier.map((data) => (
              <li key={data.hash}>
                <button
                  className="plain-button sheet row full"
                  style={{ padding: "10px 14px" }}
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
