import Button from "@mui/material/Button";
import TextField from "@mui/material/TextField";
import { useEffect, useRef, useState } from "react";
import type { TrialDetail } from "../../api/client";
import { usePoints } from "../../api/searches";
import { useTrial, useTrialRemarks } from "../../api/trials";
import { usePlace, useChosen } from "../../ui/place";
import { duration, scalar, score, withError } from "../../lib/format";
import { goodness, inkOn, ramp, scoreScale } from "../../lib/ramp";
import { FoldRing } from "../../charts/FoldRing";
import { TrialCurve } from "./TrialCurve";
import { CopyConfiguration } from "./CopyConfiguration";
import { OwnRun } from "./OwnRun";

/** The right-hand drawer on any trial, from anywhere. */
export function Inspector({ trial }: { trial: number }) {
  const detail = useTrial(trial);
  const { inspect } = usePlace();
  const drawer = useRef<HTMLElement>(null);
  // Whoever opens it is in it, and back at what opened it when it closes.
  useEffect(() => {
    const before = document.activeElement;
    drawer.current?.focus({ preventScroll: true });
    return () => {
      if (before instanceof HTMLElement && before.isConnected) before.focus({ preventScroll: true });
    };
  }, []);
  return (
    <aside
      ref={drawer}
      tabIndex={-1}
      className="on-sheet scrolls inspector"
      aria-label="Trial inspector"
      data-inspector
    >
      {detail.isError && (
        <p role="alert" className="ember roomy">
          {detail.error.message} <Button onClick={() => inspect(null)}>Close</Button>
        </p>
      )}
      {detail.data && <Body key={trial} trial={detail.data} close={() => inspect(null)} />}
    </aside>
  );
}

function Body({ trial, close }: { trial: TrialDetail; close: () => void }) {
  const { problemView } = useChosen();
  const larger = problemView?.judging.larger_is_better ?? true;
  const points = usePoints(trial.search_id).data;
  const scale = scoreScale(points?.means ?? [trial.mean], larger, points?.fold_effects);
  const remarks = useTrialRemarks(trial.id);
  const folds = Math.max(problemView?.judging.fits ?? 0, trial.scores.length, trial.fits.length);
  return (
    <div className="col roomy apart">
      <header className="row">
        <FoldRing scores={trial.scores} folds={folds} state={trial.state} scale={scale} size={46} />
        <div className="grow">
          <h2>{trial.origin === "baseline" ? "Baseline" : `Trial ${trial.number}`}</h2>
          <p className="small soft">
            {trial.search_number ? `search ${trial.search_number}` : "a baseline"},{" "}
            {trial.learner && `${trial.learner}, `}
            {trial.state}
          </p>
        </div>
        <Button
          variant={trial.shortlisted ? "contained" : "outlined"}
          onClick={() => remarks.mutate({ shortlisted: !trial.shortlisted })}
        >
          {trial.shortlisted ? "◆ Shortlisted" : "Shortlist"}
        </Button>
        <button className="plain-button key" onClick={close} aria-label="Esc: close the inspector">
          Esc
        </button>
      </header>
      <div>
        <div className="display huge">
          {trial.mean === null
            ? trial.state
            : withError(trial.mean, trial.standard_error, [trial.best?.mean, trial.baseline?.mean])}
        </div>
        <p className="small soft">
          {trial.metric_label} · {duration(trial.seconds)} in all
          {trial.mean !== null && trial.baseline && trial.baseline.id !== trial.id && (
            <> · baseline {withError(trial.baseline.mean, trial.baseline.standard_error, [trial.mean])}</>
          )}
          {trial.mean !== null && trial.best && trial.best.id !== trial.id && (
            <> · best {withError(trial.best.mean, trial.best.standard_error, [trial.mean])}</>
          )}
        </p>
        {trial.reason && (
          <p role="alert" className={`${trial.state === "parked" ? "soft" : "ember"} below`}>
            {trial.reason}
          </p>
        )}
      </div>
      {trial.curves.length > 0 && <TrialCurve trial={trial} />}
      <Folds trial={trial} scale={scale} />
      <Limits trial={trial} />
      <Recorded trial={trial} />
      <Settings trial={trial} />
      <CopyConfiguration trial={trial.id} />
      <OwnRun trial={trial} />
      <Notes trial={trial} save={(note, tags) => remarks.mutate({ note, tags })} />
      <Provenance trial={trial} />
    </div>
  );
}

/** What its search has limits on, as measured, and whether it keeps them. */
function Limits({ trial }: { trial: TrialDetail }) {
  if (trial.limits.length === 0) return null;
  return (
    <div className="small" data-limits-kept={String(trial.keeps)} role="group" aria-label="Limits">
      {trial.limits.map((limit) => (
        <p key={limit.measure} className={limit.keeps === false ? "ember" : undefined}>
          {limit.keeps === null ? "?" : limit.keeps ? "✓" : "✗"} {limit.text}
          <span className="soft">
            {" "}
            {limit.measured === null ? "not measured" : `measured ${withError(limit.measured, limit.error)}`}
          </span>
        </p>
      ))}
    </div>
  );
}

/** Means over folds by the metrics that are recorded beside the one that decides. */
function Recorded({ trial }: { trial: TrialDetail }) {
  const scored = trial.fits.filter((fit) => fit.score !== null);
  const last = scored.filter((fit) => !scored.some((other) => other.fold === fit.fold && other.rung > fit.rung));
  const names = [...new Set(last.flatMap((fit) => Object.keys(fit.recorded)))].filter(
    (name) => !trial.limits.some((limit) => limit.measure === name),
  );
  if (names.length === 0) return null;
  return (
    <p className="small" data-recorded-scores>
      <span className="soft">Recorded beside it: </span>
      {names.map((name, i) => {
        const values = last.map((fit) => fit.recorded[name]).filter((value) => value !== undefined);
        return (
          <span key={name}>
            {i > 0 && ", "}
            {name} <b>{score(values.reduce((sum, value) => sum + value, 0) / values.length)}</b>
            {values.length < last.length && (
              <span className="soft">
                {" "}
                ({values.length} of {last.length} folds)
              </span>
            )}
          </span>
        );
      })}
    </p>
  );
}

function Folds({ trial, scale }: { trial: TrialDetail; scale: ReturnType<typeof scoreScale> }) {
  const rungs = Math.max(...trial.fits.map((fit) => fit.rung), 0);
  return (
    <table className="collapsed full" aria-label="Fold scores">
      <tbody>
        {trial.fits.map((fit) => {
          const share = fit.score === null ? null : goodness(fit.score, scale, fit.fold);
          return (
            <tr className="ruled from-top" key={`${fit.fold}/${fit.rung}`}>
              <th scope="row" className="small left medium snug">
                fold {fit.fold + 1}
                {rungs > 0 && <span className="soft"> rung {fit.rung + 1}</span>}
              </th>
              <td
                style={{
                  background: share === null ? undefined : ramp(share),
                  color: share === null ? undefined : inkOn(share),
                }}
                className="small centred snug score-column"
              >
                {fit.score === null ? fit.state : score(fit.score, trial.standard_error)}
              </td>
              <td className="small soft cell">
                {duration(fit.seconds)}
                {fit.attempt > 1 && ` · attempt ${fit.attempt}`}
                {fit.reason && <span className="ember"> {fit.reason}</span>}
                {fit.warnings.map((w) => (
                  <span key={w} className="honey block">
                    {w}
                  </span>
                ))}
                {fit.log && (
                  <details open={trial.command.length === 0}>
                    <summary>what it printed</summary>
                    <pre className="sunk scrolls block-of-text fit-log">{fit.log}</pre>
                  </details>
                )}
              </td>
            </tr>
          );
        })}
      </tbody>
    </table>
  );
}

/** The settings, and how they differ from the defaults and from the best. */
function Settings({ trial }: { trial: TrialDetail }) {
  const all = { ...trial.defaults, ...trial.configuration };
  const differs =
    trial.best && trial.best.id !== trial.id && trial.best.search_id === trial.search_id
      ? trial.best.configuration
      : null;
  return (
    <table className="collapsed full" aria-label="Settings">
      <thead className="small soft">
        <tr>
          <th className="left medium">setting</th>
          <th className="right medium">here</th>
          <th className="right medium">default</th>
          {differs && <th className="right medium">best</th>}
        </tr>
      </thead>
      <tbody className="mono">
        {Object.entries(all).map(([name, value]) => (
          <tr className="ruled" key={name}>
            <th className="left medium snug" scope="row">
              {name}
            </th>
            <td className="right" style={{ fontWeight: value === trial.defaults[name] ? 400 : 700 }}>
              {scalar(value)}
            </td>
            <td className="soft right">{scalar(trial.defaults[name])}</td>
            {differs && <td className="honey right">{scalar(differs[name] ?? trial.defaults[name])}</td>}
          </tr>
        ))}
      </tbody>
    </table>
  );
}

function Notes({ trial, save }: { trial: TrialDetail; save: (note: string, tags: string[]) => void }) {
  const [note, setNote] = useState(trial.note);
  const [tags, setTags] = useState(trial.tags.join(" "));
  const changed = note !== trial.note || tags !== trial.tags.join(" ");
  return (
    <div className="col">
      <TextField label="Note" multiline minRows={2} value={note} onChange={(e) => setNote(e.target.value)} />
      <div className="row">
        <TextField
          label="Tags"
          className="grow"
          value={tags}
          placeholder="words parted by blanks"
          onChange={(e) => setTags(e.target.value)}
          slotProps={{ inputLabel: { shrink: true } }}
        />
        <Button variant="outlined" disabled={!changed} onClick={() => save(note, tags.split(/\s+/).filter(Boolean))}>
          Save
        </Button>
      </div>
    </div>
  );
}

function Provenance({ trial }: { trial: TrialDetail }) {
  const rows: [string, string][] = [
    [
      "Sightline",
      trial.origin === "baseline"
        ? "the defaults, proposed by nobody"
        : `${trial.seen} results seen, ${trial.pending} trials pending when proposed`,
    ],
    ["Proposal seed", `${trial.seed}, number ${trial.number}`],
    ["Data", trial.data_hash?.slice(0, 16) ?? "none"],
    ["Folds", trial.folds_hash?.slice(0, 16) ?? "none"],
    [
      "Versions",
      Object.entries(trial.versions)
        .map(([name, v]) => `${name} ${v}`)
        .join(", "),
    ],
    ["Begun", new Date(trial.created_at * 1000).toLocaleString("en-GB")],
  ];
  return (
    <dl className="small flush facts">
      {rows.map(([name, value]) => (
        <div key={name}>
          <dt className="soft">{name}</dt>
          <dd className="flush">{value}</dd>
        </div>
      ))}
    </dl>
  );
}
