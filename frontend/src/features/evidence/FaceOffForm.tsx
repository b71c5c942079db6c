import Button from "@mui/material/Button";
import { useState } from "react";
import type { Problem, Search } from "../../api/client";
import { useBeginFaceOff, type FaceOffRequest } from "../../api/evidence";
import { useCatalogue } from "../../api/workspace";
import { Switch } from "../../ui/Switch";
import { count, plural } from "../../lib/format";

interface Entrant {
  strategy: string;
  stopping: string;
}
const MOST = 8;
const FIRST: Entrant[] = [
  { strategy: "random", stopping: "none" },
  { strategy: "gaussian process", stopping: "none" },
];

/** Who is set against whom, with which budget, how often. */
export function FaceOffForm({ problem, search }: { problem: Problem; search: Search }) {
  const catalogue = useCatalogue().data;
  const [entrants, setEntrants] = useState<Entrant[]>(FIRST);
  const [mode, setMode] = useState<NonNullable<FaceOffRequest["mode"]>>("fitted");
  const [budget, setBudget] = useState<NonNullable<FaceOffRequest["budget"]>>("trials");
  const [amount, setAmount] = useState(30);
  const [repeats, setRepeats] = useState(6);
  const begin = useBeginFaceOff(problem.id);
  const change = (index: number, part: Partial<Entrant>) =>
    setEntrants((held) => held.map((one, i) => (i === index ? { ...one, ...part } : one)));
  const strategies = (catalogue?.strategies ?? []).filter((one) => !one.continues);
  const rules = catalogue?.stopping ?? [];
  const runs = entrants.length * repeats;
  const sound = amount >= 2 && repeats >= 1 && repeats <= 20 && entrants.length >= 2;
  return (
    <form
      className="sheet padded col"
      aria-label="A new face-off"
      onSubmit={(event) => {
        event.preventDefault();
        if (sound)
          begin.mutate({
            search: search.id,
            entrants: entrants.map((one) => ({
              strategy: one.strategy,
              "early stopping": one.stopping,
              workers: null,
            })),
            mode,
            budget,
            amount,
            repeats,
            seed: 1,
          });
      }}
    >
      <ol className="unmarked flush col closer">
        {entrants.map((one, i) => (
          <li key={i} className="row small">
            <span className="mono soft">{i + 1}</span>
            <select
              aria-label={`Strategy of entrant ${i + 1}`}
              value={one.strategy}
              onChange={(event) => change(i, { strategy: event.target.value })}
            >
              {strategies.map((s) => (
                <option key={s.key} value={s.key}>
                  {s.label}
                </option>
              ))}
            </select>
            <span className="soft">early stopping</span>
            <select
              aria-label={`Early stopping of entrant ${i + 1}`}
              value={one.stopping}
              onChange={(event) => change(i, { stopping: event.target.value })}
            >
              {rules.map((r) => (
                <option key={r.key} value={r.key}>
                  {r.label}
                </option>
              ))}
            </select>
            {entrants.length > 2 && (
              <button
                type="button"
                className="plain-button soft"
                aria-label={`Leave entrant ${i + 1} out`}
                onClick={() => setEntrants((held) => held.filter((_, k) => k !== i))}
              >
                ×
              </button>
            )}
          </li>
        ))}
      </ol>
      <div className="row wrap small">
        {entrants.length < MOST && (
          <button
            type="button"
            className="plain-button spruce"
            onClick={() => setEntrants((held) => [...held, { strategy: "even spread", stopping: "none" }])}
          >
            + another
          </button>
        )}
        <span className="grow" />
        <label className="row closer">
          each gets
          <input
            type="number"
            min={2}
            value={amount}
            onChange={(event) => setAmount(Number(event.target.value))}
            aria-label="Budget of each run"
            className="figure-field"
          />
        </label>
        <select
          aria-label="What the budget counts"
          value={budget}
          onChange={(event) => setBudget(event.target.value as typeof budget)}
        >
          {["trials", "fits", "seconds"].map((b) => (
            <option key={b}>{b}</option>
          ))}
        </select>
        <label className="row closer">
          repeats
          <input
            type="number"
            min={1}
            max={20}
            value={repeats}
            onChange={(event) => setRepeats(Number(event.target.value))}
            aria-label="Repeats"
            className="figure-field"
          />
        </label>
        <Switch label="How it is done" options={["fitted", "replayed"]} value={mode} onChange={setMode} />
        <Button type="submit" variant="contained" disabled={!sound || begin.isPending} data-primary>
          {begin.isPending ? "Beginning …" : "Set against each other"}
        </Button>
      </div>
      <p className="small soft">
        {plural(runs, "run")}
        {budget === "trials" && mode === "fitted"
          ? `, at most ${count(runs * amount * search.folds)} fits on ${plural(search.workers, "worker")}, one run after another in turn.`
          : mode === "fitted"
            ? ", one after another in turn."
            : ": scores come from a model of the trials so far with their noise. It is there at once and costs nothing, and it is not measured."}
      </p>
      {begin.error && (
        <p role="alert" className="small ember" data-error={begin.error.field ?? ""}>
          {begin.error.message}
        </p>
      )}
    </form>
  );
}
