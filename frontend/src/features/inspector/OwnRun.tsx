import Button from "@mui/material/Button";
import { useState } from "react";
import type { Schemas, TrialDetail } from "../../api/client";
import { keptAt, useKeptText } from "../../api/code";
import { bytes } from "../../lib/format";
import { quoted } from "../../lib/command";

type Kept = Schemas["KeptFile"];

/** Of own code: the command as it is typed, and what the fits kept. */
export function OwnRun({ trial }: { trial: TrialDetail }) {
  const command = trial.command.map(quoted).join(" ");
  return (
    <>
      {command && (
        <section className="col near" data-own-command>
          <div className="row">
            <h3 className="grow">Command</h3>
            <Button size="small" onClick={() => void navigator.clipboard.writeText(command)}>
              Copy
            </Button>
          </div>
          <p className="mono small sunk roomy command">{command}</p>
        </section>
      )}
      {trial.kept.length > 0 && (
        <section className="col near" data-kept>
          <h3>What it kept</h3>
          {trial.kept.map((file) => (
            <KeptFile key={`${file.fold}/${file.name}`} trial={trial.id} file={file} />
          ))}
        </section>
      )}
    </>
  );
}

function KeptFile({ trial, file }: { trial: number; file: Kept }) {
  const [open, setOpen] = useState(file.shown === "picture" && file.fold === 0);
  const text = useKeptText(trial, file.fold, file.name, open && file.shown === "text").data;
  const at = keptAt(trial, file.fold, file.name);
  return (
    <div className="col closer">
      <div className="row small">
        <span className="soft">fold {file.fold + 1}</span>
        <a className="grow mono cut" href={at} download title={file.name}>
          {file.name}
        </a>
        <span className="soft">{bytes(file.bytes)}</span>
        {file.shown && (
          <button className="plain-button key" aria-expanded={open} onClick={() => setOpen(!open)}>
            {open ? "hide" : "show"}
          </button>
        )}
      </div>
      {open && file.shown === "picture" && (
        <img className="kept" src={at} alt={`${file.name} of fold ${file.fold + 1}`} />
      )}
      {open && file.shown === "text" && <pre className="sunk scrolls small roomy printed flush">{text ?? "…"}</pre>}
    </div>
  );
}
