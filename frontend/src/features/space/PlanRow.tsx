import Button from "@mui/material/Button";
import TextField from "@mui/material/TextField";
import { useEffect, useState } from "react";
import { useLocation, useNavigate, useSearchParams } from "react-router";
import type { Problem, Search } from "../../api/client";
import { useForecast, useLaunch, useRehearsal } from "../../api/planning";
import { useClusters } from "../../api/machines";
import { useCatalogue, useWorkspace } from "../../api/workspace";
import { useDebounced } from "../../ui/useDebounced";
import { Forecast, RehearsalFits } from "./Forecast";
import { EarlyStopping } from "./EarlyStopping";
import { PlanSettings } from "./PlanSettings";
import { FromDecision, useStart } from "./FromDecision";
import { keepPlan, planned, plannedBefore, requestOf, type Plan } from "./planDraft";
import { RunsOn } from "./RunsOn";
import { PastResults } from "./PastResults";
import { isWrong, wanted } from "../../lib/amount";
import { carriedBy } from "../../lib/change";
import { count } from "../../lib/format";
import { AgainstField } from "../../ui/AgainstField";
import { LimitsField } from "../../ui/LimitsField";
import { NumberField } from "../../ui/NumberField";

interface Props {
  problem: Problem;
  learner: string;
  space: string;
  ready: boolean;
  searches: Search[];
  onLearner: ((key: string) => void) | null;
}

const COUNT = { whole: true, least: 1, empty: true };
const AMOUNTS = [
  { label: "Trials", key: "trials", field: "trials", hint: "", width: 80, rule: { whole: true, least: 1 } },
  { label: "Minutes", key: "minutes", field: "minutes", hint: "no limit", width: 90, rule: { least: 0, empty: true } },
  { label: "Until score", key: "target", field: "target score", hint: "none", width: 80, rule: { empty: true } },
  { label: "No gain in", key: "noGainIn", field: "no gain in", hint: "trials", width: 80, rule: COUNT },
  { label: "Workers", key: "workers", field: "workers", hint: "", width: 80, rule: { ...COUNT, most: 10_000 } },
  {
    label: "Seed",
    key: "seed",
    field: "seed",
    hint: "",
    width: 80,
    rule: { whole: true, least: 0, most: 2 ** 31 - 1 },
  },
] as const;

/** The foot of the Space screen: the plan in one row, what it will cost, and Launch. */
export function PlanRow({ problem, learner, space, ready, searches, onLearner }: Props) {
  const cores = useWorkspace().data?.cores ?? 1;
  const clusters = useClusters().data ?? [];
  const catalogue = useCatalogue().data;
  const strategies = catalogue?.strategies ?? [];
  const rules = catalogue?.stopping ?? [];
  const named = useAskedDecision();
  const carried = carriedBy(useLocation().state as unknown);
  const [plan, setPlan] = useState<Plan>(() => {
    const before = plannedBefore(problem.id, searches, problem.judging);
    return { ...before, decision: named ?? before.decision, ...(carried ? planned(carried) : {}) };
  });
  const start = useStart(plan.decision, learner);
  useEffect(() => keepPlan(problem.id, searches, plan), [problem.id, searches, plan]);
  const change = (part: Partial<Plan>) => setPlan((held) => ({ ...held, ...part }));
  const chosen = strategies.find((s) => s.key === plan.strategy);
  const alone = chosen?.continues ?? false; // it ends weak trials itself, and takes no rule beside it
  const offered = problem.code?.kind === "outside" ? undefined : clusters.find((one) => one.preferred)?.address;
  const cluster = plan.cluster ?? offered ?? "";
  const body = requestOf({ ...plan, cluster, ...(alone ? { stopping: "none" } : {}) }, learner, space, start ?? null);
  const mistyped = [
    ...AMOUNTS.filter(({ key }) => isWrong(plan[key])).map(({ label, rule }) => `${label}: ${wanted(rule)}.`),
    ...Object.entries({ ...plan.settings, ...plan.strategySettings })
      .filter(([, value]) => Number.isNaN(value))
      .map(([name]) => `${name}: ${wanted({ empty: true })}.`),
  ];
  const sound = ready && start !== undefined && mistyped.length === 0;
  const asked = useDebounced(mistyped.length ? null : body, 250);
  const forecast = useForecast(
    problem.id,
    asked ?? body,
    sound && asked !== null && asked.space !== "" && asked.learner === learner,
  );
  const navigate = useNavigate();
  const launch = useLaunch(problem.id, (search) => void navigate(`/p/${problem.id}/live?search=${search.id}`));
  const rehearsal = useRehearsal(problem.id);
  const wrong = mistyped.length ? null : (launch.error ?? forecast.error ?? rehearsal.error);
  const at = (field: string) => wrong?.field === `plan.${field}`;
  const known = forecast.data;
  return (
    <footer className="ruled on-sheet plan-foot" aria-label="Plan">
      {rehearsal.data && <RehearsalFits fits={rehearsal.data.fits} onClose={rehearsal.reset} />}
      <div className="row wrap at-foot">
        <TextField
          label="Strategy"
          select
          slotProps={{ select: { native: true } }}
          value={plan.strategy}
          error={at("strategy")}
          onChange={(e) => change({ strategy: e.target.value, settings: {}, strategySettings: {} })}
          sx={{ width: 172 }}
        >
          {strategies.map((s) => (
            <option key={s.key} value={s.key}>
              {s.label}
            </option>
          ))}
        </TextField>
        <EarlyStopping
          rules={rules}
          alone={alone}
          value={plan.stopping}
          wrong={at("early stopping")}
          onRule={(stopping) => change({ stopping, settings: {} })}
        />
        <PlanSettings
          strategy={chosen?.settings ?? []}
          rule={alone || plan.stopping === "none" ? undefined : rules.find((r) => r.key === plan.stopping)}
          trains={alone}
          values={{ strategy: plan.strategySettings, stopping: plan.settings }}
          resolved={{
            strategy: known?.strategy === plan.strategy ? known.strategy_settings : {},
            stopping: known?.stopping.key === plan.stopping ? known.stopping.settings : {},
          }}
          wrong={wrong?.field ?? null}
          onStrategy={(strategySettings) => change({ strategySettings })}
          onStopping={(settings) => change({ settings })}
        />
        {AMOUNTS.map(({ label, key, field, hint, width, rule }) => (
          <NumberField
            key={key}
            label={label}
            hint={key === "workers" ? (cluster ? "all" : String(cores)) : hint}
            width={width}
            rule={rule}
            value={plan[key]}
            wrong={at(field)}
            onValue={(value) => change({ [key]: value })}
          />
        ))}
        <RunsOn
          clusters={clusters}
          value={cluster}
          wrong={at("runner.cluster")}
          onChange={(address) => change({ cluster: address })}
        />
        <LimitsField
          value={plan.limits}
          quantities={problem.judging.quantities}
          wrong={at("limits")}
          onChange={(limits) => change({ limits })}
        />
        <AgainstField
          value={plan.against}
          offered={problem.judging.quantities.map((one) => one.measure)}
          metric={problem.judging.metric}
          wrong={at("against")}
          onChange={(against) => change({ against })}
        />
        <label
          className="row small closer"

          title="Trials of earlier searches with this learner, and past results, that lie inside this space are known from the start."
        >
          <input type="checkbox" checked={plan.warm} onChange={(e) => change({ warm: e.target.checked })} />
          warm start
          {known && known.knowable > 0 && (
            <span className="soft" data-known>
              {plan.warm
                ? `${count(known.known)} of ${count(known.knowable)} known`
                : `${count(known.knowable)} left out`}
            </span>
          )}
        </label>
        {(known?.memory || !plan.memory) && (
          <label
            className="row small closer"
            title="What searches of the same learner or code came to in other problems gives this one its first trials and its model something to expect. Scores are never mixed."
          >
            <input type="checkbox" checked={plan.memory} onChange={(e) => change({ memory: e.target.checked })} />
            earlier problems
          </label>
        )}
        <FromDecision
          learner={learner}
          value={plan.decision}
          wrong={at("from decisions")}
          onChange={(decision) => change({ decision })}
          onLearner={onLearner}
        />
        {!problem.code && <PastResults problem={problem} learner={learner} />}
      </div>
      <div className="row below">
        <div className="grow small" role="status" data-forecast>
          {wrong || mistyped.length ? (
            <span role="alert" className="ember" data-error="plan">
              {wrong ? wrong.message.split("\n")[0] : mistyped.join(" ")}
            </span>
          ) : known ? (
            <Forecast forecast={known} automatic={plan.strategy === "automatic"} strategies={strategies} />
          ) : (
            <span className="soft">{ready ? "Counting …" : "The space is not complete yet."}</span>
          )}
        </div>
        <Button
          variant="outlined"
          sx={{ flex: "none" }}
          disabled={!sound || rehearsal.isPending}
          title="Four cheap fits on one fold: proves that the set-up works, and times it."
          onClick={() => rehearsal.mutate(body)}
        >
          {rehearsal.isPending ? "Rehearsing …" : "Rehearse"}
        </Button>
        <Button
          variant="contained"
          size="large"
          sx={{ flex: "none" }}
          data-primary
          disabled={!sound || launch.isPending}
          onClick={() => launch.mutate(body)}
        >
          {launch.isPending ? "Launching …" : "Launch"}
        </Button>
      </div>
    </footer>
  );
}

/** The decision that the address names: a link from the Decision screen. */
function useAskedDecision(): number | null {
  const asked = useSearchParams()[0].get("decision");
  return asked && /^\d+$/.test(asked) ? Number(asked) : null;
}
