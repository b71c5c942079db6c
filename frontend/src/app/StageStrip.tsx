import { Link } from "react-router";
import type { Problem, Search } from "../api/client";
import { configurations, count, duration, plural } from "../lib/format";
import { STAGES, useChosen, type Stage } from "../ui/place";

const NAMES: Record<Stage, string> = {
  brief: "Brief",
  space: "Space",
  live: "Live",
  evidence: "Evidence",
  decision: "Decision",
};

/** The five stages with their live figures: the strip is the status. */
export function StageStrip() {
  const { problem, stage, chosen, problemView } = useChosen();
  return (
    <nav className="sunk underlined stage-strip" aria-label="Stages">
      {STAGES.map((name, index) => {
        const here = name === stage;
        return (
          <Link
            key={name}
            to={`/p/${problem}/${name}${chosen ? `?search=${chosen.id}` : ""}`}
            aria-current={here ? "step" : undefined}
            className="inherits undecorated shrinks"
            style={{
              background: here ? "var(--paper)" : undefined,
              boxShadow: here ? "inset 0 3px 0 var(--spruce)" : undefined,
              borderRight: index < 4 ? "1px solid var(--rule)" : undefined,
            }}
          >
            <div className="row close">
              <span className="display strong sub">{NAMES[name]}</span>
              <span className="key" aria-hidden>
                {index + 1}
              </span>
            </div>
            <div className="soft cut tiny" data-figures={name}>
              {problemView ? figures(name, problemView, chosen) : "…"}
            </div>
          </Link>
        );
      })}
    </nav>
  );
}

function figures(stage: Stage, problem: Problem, search: Search | null): string {
  switch (stage) {
    case "brief":
      return `${problem.code?.label ?? `${count(problem.rows)} rows`} · ${problem.judging.metric_label} · ${plural(problem.judging.folds, "fold")}`;
    case "space":
      if (search?.kind === "re-judge") return "as the finalists have it";
      return search
        ? `${plural(search.parameters.filter((p) => p.kind !== "fixed").length, "parameter")} · ${configurations(search.configurations)}`
        : "not laid out yet";
    case "live":
      return search ? liveFigures(search) : "nothing launched yet";
    case "evidence":
      return problem.trials
        ? `${plural(problem.trials, "trial")} in ${plural(problem.searches, "search", "searches")}`
        : "no trials yet";
    case "decision":
      return problem.decided ? "decided" : "not decided";
  }
}

function liveFigures(search: Search): string {
  if (search.halted) return "halted by an error";
  const done = `${search.budgeted}/${search.budget_trials} trials${search.by_hand ? ` + ${search.by_hand} by hand` : ""}`;
  if (search.state === "running") return search.seconds_left ? `${done} · ${duration(search.seconds_left)} left` : done;
  return `${done} · ${search.state}`;
}
