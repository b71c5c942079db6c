import Button from "@mui/material/Button";
import TextField from "@mui/material/TextField";
import { useEffect, useState } from "react";
import { useNavigate } from "react-router";
import type { Problem } from "../../../api/client";
import { useFirstLook, useFolders, useHelp, useSaveCode } from "../../../api/code";
import { dropDraft, keepDraft, readDraft } from "../../../lib/kept";
import { Command } from "./Command";
import { FirstLook } from "./FirstLook";
import { AgainstField } from "../../../ui/AgainstField";
import { LimitsField } from "../../../ui/LimitsField";
import { codeRequest, quantitiesOf, withHelp, wrongIn, type CodeForm } from "./codeForm";

interface Props {
  initial: CodeForm;
  problem: Problem | null;
}

type Change = (part: Partial<CodeForm>) => void;

/** The brief of a problem of own code while it is written: how it runs, how it is judged, and a first look at it. */
export function CodeEditor({ initial, problem }: Props) {
  const draft = problem ? null : `pellux-code-${initial.kind}-${initial.name}`;
  const [form, setForm] = useState(() => ({
    ...initial,
    ...(draft ? (readDraft(draft, "") as Partial<CodeForm> | null) : null),
  }));
  useEffect(() => {
    if (draft && form !== initial) keepDraft(draft, "", form);
  }, [draft, form, initial]);
  const [seconds, setSeconds] = useState("60");
  const navigate = useNavigate();
  const folders = useFolders().data;
  const help = useHelp((found) => setForm((held) => withHelp(held, found)));
  const look = useFirstLook();
  const save = useSaveCode(problem?.id ?? null, (saved) => {
    if (draft) dropDraft(draft);
    void navigate(`/p/${saved.id}/space`);
  });
  const change: Change = (part) => {
    setForm((held) => ({ ...held, ...part }));
    if (save.isError) save.reset(); // what was refused is not what stands there now
  };
  const wrong = wrongIn(form);
  const refusal = save.error ?? look.error ?? help.error;
  if (form.kind !== "outside" && folders?.length === 0) return <NothingAllowed />;
  const lookAt = (held: CodeForm) =>
    look.mutate({ brief: codeRequest(held), space: held.space, seconds: Number(seconds) || 60 });
  return (
    <div className="stage far halves">
      <section className="col apart">
        <TextField
          label="Name of the problem"
          value={form.name}
          placeholder="as you like"
          onChange={(e) => change({ name: e.target.value })}
          slotProps={{ inputLabel: { shrink: true } }}
        />
        {form.kind === "program" && (
          <HowItRuns
            form={form}
            change={change}
            folders={folders ?? []}
            busy={help.isPending}
            onHelp={() => help.mutate({ runs: form.command, folder: form.folder })}
          />
        )}
        {form.kind === "function" && <WhichFunction form={form} change={change} folders={folders ?? []} />}
        {form.kind === "outside" && (
          <p className="sheet padded soft">
            Nothing of ours runs: your loop takes fits over HTTP, trains wherever it likes and hands the scores back.
            How to ask for one stands on the Live page of its searches.
          </p>
        )}
        <HowItIsJudged form={form} change={change} wrong={refusal?.field} />
        <WhatItNeeds form={form} change={change} />
      </section>
      <section className="col apart">
        <TextField
          label="Settings to search"
          className="written"
          multiline
          minRows={5}
          maxRows={12}
          value={form.space}
          placeholder={"rate:  1e-4 .. 1 log, start 0.01\nwidth: 16 .. 256 int log"}
          onChange={(e) => change({ space: e.target.value })}
          slotProps={{ inputLabel: { shrink: true }, htmlInput: { spellCheck: false } }}
        />
        <div className="sheet col padded">
          <div className="row">
            <h2 className="grow">First look</h2>
            {form.kind !== "outside" && (
              <>
                <Amount label="Seconds" value={seconds} width={84} onValue={setSeconds} />
                <Button variant="outlined" disabled={wrong !== null || look.isPending} onClick={() => lookAt(form)}>
                  {look.isPending ? "Running it once …" : "Run it once"}
                </Button>
              </>
            )}
          </div>
          {!look.data && (
            <p className="small soft">
              {form.kind === "outside"
                ? "There is nothing of ours to run."
                : "One real fit at the start values and the smallest level, and what we read from what it prints. Nothing of it is kept."}
            </p>
          )}
          {look.data && (
            <FirstLook
              look={look.data}
              metric={form.score.trim()}
              counter={form.grows ? form.what : "scores"}
              onGuess={(score, pickOut) => {
                const next = { ...form, score, pickOut };
                setForm(next);
                lookAt(next);
              }}
            />
          )}
        </div>
        {refusal && (
          <div role="alert" className="ember" data-error="code">
            {refusal.message}
            {refusal.trace && <pre className="sunk scrolls roomy small">{refusal.trace}</pre>}
          </div>
        )}
        <div className="row">
          <span className="grow small soft" data-wrong={wrong?.field ?? ""}>
            {wrong?.words ?? "The first search scores the start values as its baseline."}
          </span>
          <Button
            variant="contained"
            size="large"
            disabled={wrong !== null || save.isPending}
            onClick={() => save.mutate({ brief: codeRequest(form), space: form.space })}
          >
            {problem ? "Save the brief" : "Make the problem"}
          </Button>
        </div>
      </section>
    </div>
  );
}

function NothingAllowed() {
  return (
    <div className="stage narrow col" data-nothing-allowed>
      <h2>No folder is allowed yet</h2>
      <p>
        Own code runs only from folders that whoever starts Pellux has allowed. Stop it and start it again so, with the
        folder that holds your code:
      </p>
      <p className="mono sunk roomy">pellux serve --allow /path/to/your/code</p>
    </div>
  );
}

interface PartProps {
  form: CodeForm;
  change: Change;
}

function Folder({ form, change, folders }: PartProps & { folders: string[] }) {
  return (
    <TextField
      label="Folder it runs in"
      className="written"
      value={form.folder}
      placeholder={folders[0] ?? ""}
      onChange={(e) => change({ folder: e.target.value })}
      helperText={folders.length > 1 ? `Allowed: ${folders.join(", ")}` : undefined}
      slotProps={{ inputLabel: { shrink: true }, htmlInput: { spellCheck: false } }}
    />
  );
}

interface RunsProps extends PartProps {
  folders: string[];
  busy: boolean;
  onHelp: () => void;
}

function HowItRuns({ form, change, folders, busy, onHelp }: RunsProps) {
  return (
    <div className="sheet col padded">
      <div className="row">
        <h2 className="grow">How it runs</h2>
        <Button
          variant="outlined"
          disabled={busy || !form.command.trim()}
          title="Runs it with --help and fills in command and settings"
          onClick={onHelp}
        >
          {busy ? "Asking it …" : "Fill in from its --help"}
        </Button>
      </div>
      <TextField
        label="Command"
        className="written"
        multiline
        value={form.command}
        placeholder="python train.py --rate {rate} --fold {fold} --epochs {level} --out {folder}"
        onChange={(e) => change({ command: e.target.value.replaceAll("\n", " ") })}
        slotProps={{ inputLabel: { shrink: true }, htmlInput: { spellCheck: false } }}
      />
      {form.command.includes("{") && <Command command={form.command} />}
      <p className="small soft">
        A setting&apos;s name in braces is replaced by its value, <code>{"{each}"}</code> by all of them. There is no
        shell: each value is one argument.
      </p>
      <Folder form={form} change={change} folders={folders} />
    </div>
  );
}

function WhichFunction({ form, change, folders }: PartProps & { folders: string[] }) {
  return (
    <div className="sheet col padded">
      <h2>Which function</h2>
      <TextField
        label="File and function"
        className="written"
        value={form.function}
        placeholder="train.py:train"
        onChange={(e) => change({ function: e.target.value })}
        slotProps={{ inputLabel: { shrink: true }, htmlInput: { spellCheck: false } }}
      />
      <p className="small soft">
        It is called with its settings and a <code>fit</code>, returns a score or yields one an epoch, and runs in
        worker processes, never in the server.
      </p>
      <Folder form={form} change={change} folders={folders} />
    </div>
  );
}

function HowItIsJudged({ form, change, wrong }: PartProps & { wrong: string | null | undefined }) {
  return (
    <div className="sheet col padded">
      <h2>How it is judged</h2>
      <div className="row wrap">
        <TextField
          label="Score"
          value={form.score}
          placeholder="recall"
          onChange={(e) => change({ score: e.target.value })}
          sx={{ width: 150 }}
          slotProps={{ inputLabel: { shrink: true } }}
        />
        <TextField
          label="Better is"
          select
          value={form.larger ? "larger" : "smaller"}
          onChange={(e) => change({ larger: e.target.value === "larger" })}
          slotProps={{ select: { native: true } }}
          sx={{ width: 110 }}
        >
          <option value="larger">larger</option>
          <option value="smaller">smaller</option>
        </TextField>
        <TextField
          label="Also write down"
          className="grow"
          value={form.recorded}
          placeholder="loss ↓, precision"
          title="Names between commas; ↓ behind one of which less is better"
          onChange={(e) => change({ recorded: e.target.value })}
          slotProps={{ inputLabel: { shrink: true } }}
        />
        <LimitsField
          value={form.limits}
          quantities={quantitiesOf(form)}
          wrong={wrong?.endsWith("limits") ?? false}
          width={200}
          onChange={(limits) => change({ limits })}
        />
        <AgainstField
          value={form.against}
          offered={quantitiesOf(form).map((one) => one.measure)}
          metric={form.score.trim()}
          wrong={wrong?.endsWith("against") ?? false}
          width={150}
          onChange={(against) => change({ against })}
        />
        <Amount label="Folds" value={form.folds} width={70} onValue={(folds) => change({ folds })} />
      </div>
      {form.kind === "program" && (
        <>
          <p className="small soft">
            A line of JSON on standard output is enough:{" "}
            <code>{`{"${form.score.trim() || "recall"}": 0.71, "epoch": 3}`}</code>; several of them are a curve.
          </p>
          <TextField
            label="Pattern, for a program that is left as it is"
            className="written"
            value={form.pickOut}
            placeholder={`${form.score.trim() || "recall"}=([0-9.]+)`}
            onChange={(e) => change({ pickOut: e.target.value })}
            slotProps={{ inputLabel: { shrink: true }, htmlInput: { spellCheck: false } }}
          />
        </>
      )}
      {form.folds.trim() === "1" && (
        <p className="small honey">One fold: scores have no standard error, and nothing can be raced between folds.</p>
      )}
    </div>
  );
}

function WhatItNeeds({ form, change }: PartProps) {
  const grows = form.grows;
  return (
    <div className="sheet col padded">
      <h2>{form.kind === "outside" ? "How it grows" : "How it grows, and what it holds"}</h2>
      <div className="row wrap">
        <label className="row small">
          <input type="checkbox" checked={grows} onChange={(e) => change({ grows: e.target.checked })} />
          it is trained in steps
        </label>
        {grows && (
          <>
            <TextField
              label="Called"
              value={form.what}
              onChange={(e) => change({ what: e.target.value })}
              sx={{ width: 96 }}
            />
            <Amount label="All of them" value={form.most} hint="27" width={90} onValue={(most) => change({ most })} />
            <label className="row small" title="It finds in {folder} what it left there and trains on from {from}.">
              <input type="checkbox" checked={form.goesOn} onChange={(e) => change({ goesOn: e.target.checked })} />
              goes on from what it left
            </label>
          </>
        )}
      </div>
      {grows && form.goesOn && (
        <TextField
          label="Settings that may change on the way"
          value={form.mayChange}
          placeholder="rate, heat: for population training"
          onChange={(e) => change({ mayChange: e.target.value })}
          slotProps={{ inputLabel: { shrink: true } }}
        />
      )}
      <div className="row wrap">
        {form.kind !== "outside" && (
          <>
            <Amount label="Cores" value={form.cores} width={76} onValue={(cores) => change({ cores })} />
            <Amount label="Devices" value={form.devices} width={80} onValue={(devices) => change({ devices })} />
            <Amount
              label="Memory, MB"
              value={form.memory}
              hint="a share"
              width={104}
              onValue={(memory) => change({ memory })}
            />
          </>
        )}
        <Amount label="Seed" value={form.seed} width={76} onValue={(seed) => change({ seed })} />
        {form.kind !== "outside" && (
          <label className="row small" title="The winner is trained once more with {fold} = all.">
            <input type="checkbox" checked={form.final} onChange={(e) => change({ final: e.target.checked })} />
            can train on everything
          </label>
        )}
      </div>
    </div>
  );
}

interface AmountProps {
  label: string;
  value: string;
  hint?: string;
  width: number;
  onValue: (value: string) => void;
}

/** A number as it is typed: it stays a text until it is sent, so that nothing is changed silently. */
function Amount({ label, value, hint, width, onValue }: AmountProps) {
  return (
    <TextField
      label={label}
      value={value}
      placeholder={hint}
      onChange={(e) => onValue(e.target.value)}
      sx={{ width }}
      slotProps={{ inputLabel: { shrink: true }, htmlInput: { inputMode: "numeric" } }}
    />
  );
}
