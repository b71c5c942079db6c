import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState, type ReactNode } from "react";
import { useSearchParams } from "react-router";
import { isCode, isTable, type Data, type Problem, type Refusal } from "../../api/client";
import { keys } from "../../api/keys";
import { readAgain, useData, useDataList } from "../../api/data";
import { useProblem } from "../../api/problems";
import { dropDraft, keepDraft, readDraft } from "../../lib/kept";
import { count } from "../../lib/format";
import { DropFile } from "../../ui/DropFile";
import { BriefEditor } from "./BriefEditor";
import { CodeEditor } from "./code/CodeEditor";
import { codeFormOf, emptyCode } from "./code/codeForm";
import { DOORS, Doors } from "./Doors";
import { ReadingCard, type Reading } from "./ReadingCard";
import { emptyForm, formOf, type BriefForm } from "./briefForm";

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
  if (hash === null) return <FileDoor doors={doors} onData={(found) => setQuery({ data: found })} />;
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

function FileDoor({ doors, onData }: { doors: ReactNode; onData: (hash: string) => void }) {
  const earlier = useDataList().data ?? [];
  return (
    <div className="stage col apart opening">
      {doors}
      <DropFile onData={onData} />
      {earlier.length > 0 && (
        <section className="col">
          <h2>Or use data that are here already</h2>
          <ul className="col flush unmarked">
            {earlier.map((data) => (
              <li key={data.hash}>
                <button
                  className="plain-button sheet row full strip"

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
