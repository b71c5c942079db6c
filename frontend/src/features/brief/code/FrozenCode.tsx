import type { Problem } from "../../../api/client";
import type { CodeBrief } from "../../../api/code";
import { plural } from "../../../lib/format";
import { Frozen } from "../Frozen";
import { Command } from "./Command";
import { quoted } from "../../../lib/command";

/** The brief of own code once searches are judged by it. */
export function FrozenCode({ problem, code }: { problem: Problem; code: CodeBrief }) {
  const { grows, holds } = code;
  const held = [
    plural(holds.cores, "core"),
    holds.devices > 0 ? plural(holds.devices, "device") : "",
    holds.memory_mb ? `${holds.memory_mb} MB` : "",
  ].filter(Boolean);
  return (
    <div className="stage far halves" data-code={code.kind}>
      <section className="col apart">
        <h1>{problem.name}</h1>
        <div className="sheet col padded">
          <h2>{KINDS[code.kind]}</h2>
          {code.kind === "program" && <Command command={code.runs.map(quoted).join(" ")} />}
          {code.kind === "function" && <p className="mono sunk roomy">{code.function}</p>}
          {code.kind === "outside" && <p className="soft">Somebody else&apos;s loop takes fits over HTTP.</p>}
          {code.folder && (
            <p className="small soft">
              Runs in <code>{code.folder}</code>. Its code: {code.files.join(", ")}, content{" "}
              <code>{code.fingerprint.slice(0, 10)}</code>. When these files change, a search pauses, and a new one
              begins a new problem.
            </p>
          )}
        </div>
        {code.space && (
          <div className="sheet col padded">
            <h2>Where a search begins</h2>
            <pre className="mono sunk roomy scrolls flush">{code.space.trim()}</pre>
          </div>
        )}
      </section>
      <section className="col apart">
        <Frozen problem={problem} earlier="Another version of its code, whose scores are not comparable, is" />
        <div className="sheet col padded">
          <h2>{problem.judging.metric_label}</h2>
          <p className="small soft">
            {code.pick_out ? (
              <>
                Picked out of what it prints by <code>{code.pick_out}</code>.
              </>
            ) : (
              "As the code tells it: a line of JSON, scores.jsonl, or the last number it prints."
            )}
          </p>
          {code.recorded.length > 0 && (
            <p className="small">
              Written down beside it:{" "}
              {code.recorded.map((name) => `${name} ${code.smaller.includes(name) ? "↓" : "↑"}`).join(", ")}.
            </p>
          )}
          {problem.judging.limits.length > 0 && (
            <p className="small">
              What is chosen keeps <b>{problem.judging.limits.join(", ")}</b>.
            </p>
          )}
        </div>
        <div className="sheet col padded">
          <h2>{code.folds === 1 ? "One fold" : `${code.folds} folds`}</h2>
          <p className="small soft">
            {code.folds === 1
              ? "One fit a trial: no standard error, no fold race."
              : `A trial is ${code.folds} fits; to the code a fold is a number from 0.`}
          </p>
          {grows && (
            <p className="small">
              Trained in {grows.what}, {grows.most} in all
              {grows.goes_on ? ", and goes on from what it left" : "; every rung begins anew"}.
              {grows.may_change.length > 0 && ` On the way ${grows.may_change.join(", ")} may change.`}
            </p>
          )}
          <p className="small">
            A fit holds {held.join(", ")}. Seed {code.seed}.
            {code.final && " The choice is trained once more on everything."}
          </p>
        </div>
      </section>
    </div>
  );
}

const KINDS = { program: "A program", function: "A function", outside: "An outside loop" };
