import { OtherObjective } from "../../ui/OtherObjective";
import { useEffect, useState } from "react";
import { Link } from "react-router";
import { type Problem, isCode, isTable } from "../../api/client";
import { useDecisions, useFinalists, type Finalists } from "../../api/decisions";
import { useChosen, usePlace } from "../../ui/place";
import { Switch } from "../../ui/Switch";
import { AgainstBaseline } from "./AgainstBaseline";
import { called, type BenchProps, type Picked } from "./bench";
import { choiceOf } from "./choice";
import { Expectation } from "./Expectation";
import { Matrix } from "./Matrix";
import { HoldoutView } from "./HoldoutView";
import { Rules } from "./Rules";
import { Sign } from "./Sign";
import { TakeAway } from "./TakeAway";
import { TradeOff } from "./TradeOff";
import { useWeighing, VIEWS, type View } from "./useWeighing";
import { withError } from "../../lib/format";

export function DecisionStage() {
  const { problemView, problemQuery } = useChosen();
  if (problemQuery.isError) return <Trouble message={problemQuery.error.message} />;
  if (!problemView) return <p className="stage soft">Gathering the finalists …</p>;
  if (!isTable(problemView) && !isCode(problemView))
    return <OtherObjective problem={problemView} what="are no rows to compare on" />;
  return <Gathering key={problemView.id} problem={problemView} />;
}

function Gathering({ problem }: { problem: Problem }) {
  const { weighing, set } = useWeighing();
  const finalists = useFinalists(problem.id, weighing);
  const decisions = useDecisions(problem.id);
  if (finalists.isError)
    return (
      <Trouble message={finalists.error.message}>
        <button
          className="plain-button"
          onClick={() => set({ limit_on: null, limit: null, beside: null, cost: null, weights: null, of: null })}
        >
          <u>Weigh them as usual</u>
        </button>
      </Trouble>
    );
  if (!finalists.data || !decisions.data) return <p className="stage soft">Gathering the finalists …</p>;
  if (finalists.data.finalists.length === 0) return <Nothing problem={problem} />;
  return <Bench problem={problem} found={finalists.data} decided={decisions.data[0] ?? null} />;
}

/** What own code can be expected to do again: without predictions nobody can draw the rows anew. */
function Unpredicted({ problem, found, chosen }: BenchProps) {
  return (
    <section className="sheet col padded near" data-unpredicted>
      <h2>What to expect</h2>
      <p className="small">
        Of {found.scored} scored, {called(chosen)} looks like{" "}
        <b>{withError(chosen.trial.mean, chosen.trial.standard_error)}</b>
        {problem.baseline && (
          <>, the start values like {withError(problem.baseline.score, problem.baseline.standard_error)}</>
        )}
        .
      </p>
      <p className="small soft">
        Coming out on top takes some luck, so expect a little less. How much less is not known here: own code tells
        scores, not what it predicted of each row (predictions.csv).
      </p>
    </section>
  );
}

const ALWAYS: Partial<Record<View, true>> = { finalists: true, "trade-off": true, "take away": true };

function Trouble({ message, children }: { message: string; children?: React.ReactNode }) {
  return (
    <p className="stage ember" role="alert">
      {message} {children}
    </p>
  );
}

function Nothing({ problem }: { problem: Problem }) {
  return (
    <div className="stage col">
      <h1>Nothing to decide yet</h1>
      <p className="soft">
        The best trials of all searches of this problem will stand here, fold by fold, with the baseline among them.
      </p>
      <p>
        <Link to={`/p/${problem.id}/space`}>Lay out the space and launch</Link>
      </p>
    </div>
  );
}

interface Decided {
  id: number;
  trial_id: number;
  rule: string;
}

function Bench({ problem, found, decided }: { problem: Problem; found: Finalists; decided: Decided | null }) {
  const { view, weighing, set } = useWeighing();
  const { of } = weighing;
  const ofName = useChosen().searches.find((search) => search.id === of)?.number;
  const [picked, setPicked] = useState<Picked | null>(null);
  useEffect(() => {
    const onKey = (event: KeyboardEvent) => {
      const at = event.target as HTMLElement;
      if (event.key !== "b" || event.ctrlKey || event.metaKey || event.altKey) return;
      if (!/^(INPUT|TEXTAREA|SELECT)$/.test(at.tagName)) set({ view: "against the baseline" });
    };
    window.addEventListener("keydown", onKey);
    return () => window.removeEventListener("keydown", onKey);
  }, [set]);
  const { trial: inspected, inspect } = usePlace();
  const signed = decided && { trial: decided.trial_id, rule: decided.rule };
  const { chosen, rule } = choiceOf(found, picked, inspected, signed);
  const pick = (choice: Picked) => {
    setPicked(choice);
    if (inspected !== null && inspected !== choice.trial) inspect(choice.trial);
  };
  const bench: BenchProps = { problem, found, chosen, pick };
  return (
    <div className="stage beside">
      <section className="col apart">
        <div className="row wrap">
          <h1 className="grow one-line">
            Finalists by{" "}
            {found.decides.length
              ? found.decides.map((m) => `${m.key} ${m.larger_is_better ? "↑" : "↓"}`).join(" against ")
              : problem.judging.metric_label}
          </h1>
          {of !== null && (
            <span className="tag small" data-of={of}>
              {ofName ? `search ${ofName} only` : "one search only"}{" "}
              <button className="plain-button spruce" onClick={() => set({ of: null })}>
                all searches
              </button>
            </span>
          )}
          <Switch
            label="View"
            options={VIEWS.filter(
              (v) => isTable(problem) || v in ALWAYS || (found.predicted && v === "against the baseline"),
            )}
            value={view}
            onChange={(v) => set({ view: v })}
          />
        </div>
        {view === "finalists" && <Matrix {...bench} />}
        {view === "trade-off" && <TradeOff {...bench} />}
        {found.predicted && view === "against the baseline" && <AgainstBaseline key={chosen.trial.id} {...bench} />}
        {isTable(problem) && view === "holdout" && <HoldoutView {...bench} problem={problem} />}
        {view === "take away" && <TakeAway problem={problem} />}
      </section>
      <aside className="col apart" aria-label="The choice">
        {found.predicted ? <Expectation {...bench} /> : <Unpredicted {...bench} />}
        <Rules {...bench} rule={rule} />
        <Sign {...bench} rule={rule} decided={decided?.id ?? null} />
      </aside>
    </div>
  );
}
