import type { TableProblem } from "../../api/client";
import Button from "@mui/material/Button";
import Dialog from "@mui/material/Dialog";
import DialogActions from "@mui/material/DialogActions";
import DialogContent from "@mui/material/DialogContent";
import DialogTitle from "@mui/material/DialogTitle";
import TextField from "@mui/material/TextField";
import { useState } from "react";
import { useHoldout, useOpenHoldout, type Holdout } from "../../api/decisions";
import { count, percent, withError } from "../../lib/format";
import { keepSigner, lastSigner } from "../../lib/signer";
import { endsOf, place } from "../../charts/plotLayout";
import { called, type BenchProps } from "./bench";

/** The sealed rows: opened here, once if possible, and every opening shown for ever. */
export function HoldoutView({ problem, chosen }: BenchProps & { problem: TableProblem }) {
  const [asking, setAsking] = useState(false);
  const found = useHoldout(problem.id);
  if (found.isError) return <p className="ember">{found.error.message}</p>;
  if (!found.data) return <p className="soft">Looking at the seal …</p>;
  const looks = found.data;
  const opened = looks.filter((l) => l.state !== "failed").length;
  const share = problem.brief.holdout;
  return (
    <div className="col apart">
      <section className="sheet col roomy" data-holdout={opened}>
        {share === 0 ? (
          <>
            <h2>This problem has no holdout</h2>
            <p className="soft">All rows are in the folds. The honest score beside is the estimate to trust.</p>
          </>
        ) : (
          <>
            <h2>{opened === 0 ? "Sealed" : opened === 1 ? "Opened once" : `Opened ${opened} times`}</h2>
            <p>
              {percent(share)} of the rows, about {count(Math.round(share * problem.rows))}, were set aside before any
              search. {opened === 0 ? "No trial has seen them." : "They have been looked at: see below."}
            </p>
            <p className="soft">
              Opening fits {called(chosen)} and the baseline on all other rows, and judges both here. It tells most when
              it is done once, after the choice. Choose by it, and its score becomes as optimistic as any other.
            </p>
            <div>
              <Button
                variant={opened ? "outlined" : "contained"}
                color={opened ? "warning" : "primary"}
                onClick={() => setAsking(true)}
              >
                {opened ? "Open it again" : "Open the holdout"} for {called(chosen)}
              </Button>
            </div>
          </>
        )}
      </section>
      {[...looks].reverse().map((look) => (
        <Look key={look.id} look={look} metric={problem.judging.metric_label} />
      ))}
      {asking && (
        <Asking
          problem={problem.id}
          trial={chosen.trial.id}
          name={called(chosen)}
          opened={opened}
          close={() => setAsking(false)}
        />
      )}
    </div>
  );
}

function Asking({
  problem,
  trial,
  name,
  opened,
  close,
}: {
  problem: number;
  trial: number;
  name: string;
  opened: number;
  close: () => void;
}) {
  const [opener, setOpener] = useState(lastSigner);
  const open = useOpenHoldout(problem);
  return (
    <Dialog open onClose={close} aria-labelledby="opening">
      <DialogTitle id="opening">{opened ? "Open the holdout again?" : "Open the holdout?"}</DialogTitle>
      <DialogContent className="col says-much">
        {opened > 0 && (
          <p className="ember">
            It was opened {opened === 1 ? "once" : `${opened} times`} before. Every further look makes its score less of
            a proof. This will be written into every decision.
          </p>
        )}
        <p>The score of {name} on these rows is shown, and the opening is logged for ever. It cannot be undone.</p>
        <TextField label="Opened by" value={opener} onChange={(e) => setOpener(e.target.value)} />
        {open.error && (
          <p role="alert" className="ember">
            {open.error.message}
          </p>
        )}
      </DialogContent>
      <DialogActions>
        <Button onClick={close}>Leave it sealed</Button>
        <Button
          variant="contained"
          color={opened ? "warning" : "primary"}
          disabled={open.isPending}
          onClick={() => {
            keepSigner(opener);
            open.mutate({ trial_id: trial, opener, again: opened > 0 }, { onSuccess: close });
          }}
        >
          {opened ? "Open it all the same" : "Open it"}
        </Button>
      </DialogActions>
    </Dialog>
  );
}

function Look({ look, metric }: { look: Holdout; metric: string }) {
  return (
    <section className="sheet col padded near" data-look={look.state}>
      <h2 className="sub">
        Opening {look.nth}: {look.trial_name}
        <span className="small soft">
          {" "}
          {new Date(look.created_at * 1000).toLocaleString("en-GB")}
          {look.opener && `, by ${look.opener}`}
        </span>
      </h2>
      {look.state === "running" && <p className="soft">Fitting on all rows of the folds …</p>}
      {look.state === "failed" && <p className="ember">{look.message}</p>}
      {look.chosen && (
        <>
          {look.nth > 1 && <p className="small ember">Not the first look: take this score with a grain of salt.</p>}
          <p>{look.verdict}</p>
          <Beside look={look} />
          <p className="small soft">
            {metric} on {count(look.rows)} rows of the holdout; bars are 95 % intervals, for cross-validation ± one
            standard error.
          </p>
        </>
      )}
    </section>
  );
}

/** Train, cross-validation and holdout on one axis, the chosen trial above, the baseline below. */
function Beside({ look }: { look: Holdout }) {
  const chosen = look.chosen!;
  const e = look.folds_error ?? 0;
  const lines = [
    {
      name: "rows learnt from",
      value: chosen.train,
      low: chosen.train,
      high: chosen.train,
      error: null,
      fill: "var(--soft)",
    },
    {
      name: "cross-validation",
      value: look.folds!,
      low: look.folds! - e,
      high: look.folds! + e,
      error: e,
      fill: "var(--spruce)",
    },
    {
      name: "holdout",
      value: chosen.holdout,
      low: chosen.low,
      high: chosen.high,
      error: chosen.error,
      fill: "var(--honey)",
    },
    ...(look.baseline
      ? [
          {
            name: "baseline on the holdout",
            value: look.baseline.holdout,
            low: look.baseline.low,
            high: look.baseline.high,
            error: look.baseline.error,
            fill: "var(--ember)",
          },
        ]
      : []),
  ];
  const ends = endsOf(lines.flatMap((l) => [l.low, l.high]));
  const x = (v: number) => place(v, ends, 170, 640);
  return (
    <svg
      width="100%"
      viewBox={`0 0 780 ${lines.length * 30}`}
      role="img"
      aria-label="Train, cross-validation and holdout scores"
    >
      {lines.map((l, i) => {
        const y = i * 30 + 15;
        return (
          <g key={l.name} fontSize={13.5} fill="var(--ink)">
            <text x={0} y={y + 5}>
              {l.name}
            </text>
            <path d={`M170 ${y}H640`} stroke="var(--rule)" />
            <path d={`M${x(l.low)} ${y}H${x(l.high)}`} stroke={l.fill} strokeWidth={6} strokeOpacity={0.4} />
            <circle cx={x(l.value)} cy={y} r={6} fill={l.fill} />
            <text x={660} y={y + 5}>
              {withError(l.value, l.error)}
            </text>
          </g>
        );
      })}
    </svg>
  );
}
