import Button from "@mui/material/Button";
import Dialog from "@mui/material/Dialog";
import { useState } from "react";
import type { Problem } from "../../api/client";
import { usePastResults } from "../../api/planning";
import { useCatalogue } from "../../api/workspace";
import { header } from "../../lib/pastResults";
import { count, score as shown } from "../../lib/format";

interface Chosen {
  name: string;
  format: "csv" | "jsonl";
  text: string;
  columns: string[];
}

/** Brings results from a file: which column is the score, and which setting each other column stands for. */
export function PastResults({ problem, learner }: { problem: Problem; learner: string }) {
  const [open, setOpen] = useState(false);
  return (
    <>
      <button
        className="plain-button small spruce"

        title="Results measured elsewhere: strategies may know them, they are never ranked."
        onClick={() => setOpen(true)}
      >
        past results …
      </button>
      <Dialog open={open} onClose={() => setOpen(false)} maxWidth="sm" fullWidth>
        {open && <Form problem={problem} learner={learner} onClose={() => setOpen(false)} />}
      </Dialog>
    </>
  );
}

function Form({ problem, learner, onClose }: { problem: Problem; learner: string; onClose: () => void }) {
  const settings = useCatalogue().data?.learners.find((l) => l.key === learner)?.settings ?? [];
  const [file, setFile] = useState<Chosen | null>(null);
  const [score, setScore] = useState("");
  const [mapping, setMapping] = useState<Record<string, string>>({});
  const bring = usePastResults(problem.id);
  const keep = () =>
    file && bring.mutate({ learner, source: file.name, format: file.format, score, columns: mapping, text: file.text });
  const take = async (chosen: File) => {
    const text = await chosen.text();
    const format = /\.(jsonl|ndjson)$/.test(chosen.name) ? "jsonl" : "csv";
    const columns = header(text, format);
    setFile({ name: chosen.name, format, text, columns });
    setScore(columns.find((c) => /score|mean|metric/i.test(c)) ?? "");
    setMapping(Object.fromEntries(columns.map((c) => [c, settings.some((s) => s.name === c) ? c : "-"])));
  };
  return (
    <div className="col roomy apart">
      <h2>Past results</h2>
      <p className="small soft">
        A CSV or JSON Lines file with a configuration and its {problem.judging.metric_label} in each row. A search with
        a warm start knows those that lie in its space; they are never ranked, since they were not measured here.
      </p>
      <input
        type="file"
        aria-label="File with past results"
        accept=".csv,.jsonl,.ndjson"
        onChange={(event) => event.target.files?.[0] && void take(event.target.files[0])}
      />
      {file && (
        <table className="small spaced-cells">
          <thead>
            <tr className="soft">
              <th align="left">column</th>
              <th align="left">stands for</th>
            </tr>
          </thead>
          <tbody>
            {file.columns.map((column) => (
              <tr key={column}>
                <td className="mono">{column}</td>
                <td>
                  <select
                    aria-label={`What ${column} stands for`}
                    value={column === score ? "=score" : (mapping[column] ?? "-")}
                    onChange={(event) => {
                      if (event.target.value === "=score") setScore(column);
                      else setMapping({ ...mapping, [column]: event.target.value });
                      if (column === score && event.target.value !== "=score") setScore("");
                    }}
                  >
                    <option value="-">left out</option>
                    <option value="=score">the score</option>
                    {settings.map((s) => (
                      <option key={s.name} value={s.name}>
                        {s.name}
                      </option>
                    ))}
                  </select>
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {bring.error && (
        <p role="alert" className="ember small">
          {bring.error.message}
        </p>
      )}
      {bring.data && (
        <p className="small" role="status" data-past-results>
          {count(bring.data.rows)} past results kept; the best scores {shown(bring.data.best)}.
          {bring.data.known > 0 && <> {count(bring.data.known)} were known already.</>}
        </p>
      )}
      <div className="row last">
        <Button onClick={onClose}>Close</Button>
        <Button variant="contained" disabled={!file || score === "" || bring.isPending} onClick={keep}>
          Keep them
        </Button>
      </div>
    </div>
  );
}
