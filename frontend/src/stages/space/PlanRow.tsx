import Button from "@mui/material/Button";
import TextField from "@mui/material/TextField";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useNavigate, useSearchParams } from "react-router";
import { api, settled, type Problem, type Refusal, type Schemas } from "../../api/client";
import { keys, useCatalogue, useWorkspace } from "../../api/hooks";
import { useDebounced } from "../../app/useDebounced";
import { Forecast, RehearsalFits } from "./Forecast";
import { EarlyStopping } from "./EarlyStopping";
import { FromDecision } from "./FromDecision";
import { PastResults } from "./PastResults";
import { count } from "../../lib/format";

interface Props {
  problem: Problem;
  learner: string;
  space: string;
  ready: boolean;
}

interface Plan {
  strategy: string;
  stopping: string;
  settings: Record<string, number | string>;
  trials: number;
  minutes: number | "";
  target: number | "";
  patience: number | "";
  workers: number | "";
  seed: number;
  warm: boolean;
  decision: number | null;
}

/** The foot of the Space screen: the plan in one row, what it will cost, and Launch. */
export function PlanRow({ problem, learner, space, ready }: Props) {
  const cores = useWorkspace().data?.cores ?? 1;
  const catalogue = useCatalogue().data;
  const strategies = catalogue?.strategies ?? [];
  const [plan, setPlan] = useState<Plan>({
    strategy: "automatic",
    stopping: "automatic",
    settings: {},
    trials: 60,
    minutes: "",
    target: "",
    patience: "",
    workers: "",
    seed: 1 + problem.searches,
    warm: true,
    decision: useAskedDecision(),
  });
  const change = (part: Partial<Plan>) => setPlan((held) => ({ ...held, ...part }));
  const body = request(plan, learner, space);
  const path = { problem_id: problem.id };
  const asked = useDebounced(body, 250);
  const key = ["forecast", problem.id, asked];
  const forecast = useQuery<Schemas["ForecastView"], Refusal>({
    queryKey: key,
    enabled: ready && asked.space !== "" && asked.learner === learner,
    retry: false,
    placeholderData: (held) => held,
    queryFn: () => settled(api.POST("/api/v1/problems/{problem_id}/forecast", { params: { path }, body: asked })),
  });
  const client = useQueryClient();
  const navigate = useNavigate();
  const launch = useMutation<Schemas["SearchView"], Refusal>({
    mutationFn: () => settled(api.POST("/api/v1/problems/{problem_id}/searches", { params: { path }, body })),
    onSuccess: async (search) => {
      await client.invalidateQueries({ queryKey: keys.searches(problem.id) });
      void client.invalidateQueries({ queryKey: ["problems"] });
      void navigate(`/p/${problem.id}/live?search=${search.id}`);
    },
  });
  const rehearsal = useMutation<Schemas["RehearsalView"], Refusal>({
    mutationFn: () => settled(api.POST("/api/v1/problems/{problem_id}/rehearsals", { params: { path }, body })),
    onSuccess: () => client.invalidateQueries({ queryKey: ["forecast", problem.id] }),
  });
  const wrong = launch.error ?? forecast.error ?? rehearsal.error;
  const at = (field: string) => wrong?.field === `plan.${field}`;
  const known = forecast.data;
  return (
    <footer
      style={{ borderTop: "1px solid var(--rule)", background: "var(--sheet)", padding: "10px 20px" }}
      aria-label="Plan"
    >
      {rehearsal.data && <RehearsalFits fits={rehearsal.data.fits} onClose={rehearsal.reset} />}
      <div className="row" style={{ flexWrap: "wrap", rowGap: 10 }}>
        <TextField
          label="Strategy"
          select
          slotProps={{ select: { native: true } }}
          value={plan.strategy}
          error={at("strategy")}
          onChange={(e) => change({ strategy: e.target.value, settings: {} })}
          sx={{ width: 172 }}
        >
          {strategies.map((s) => (
            <option key={s.key} value={s.key}>
              {s.label}
            </option>
          ))}
        </TextField>
        <EarlyStopping
          rules={catalogue?.stopping ?? []}
          population={plan.strategy === "population training"}
          value={plan.stopping}
          settings={plan.settings}
          resolved={forecast.data?.stopping.key === plan.stopping ? forecast.data.stopping.settings : {}}
          wrong={wrong?.field ?? null}
          onRule={(stopping) => change({ stopping, settings: {} })}
          onSettings={(settings) => change({ settings })}
        />
        <Amount
          label="Trials"
          value={plan.trials}
          wrong={at("trials")}
          onValue={(v) => change({ trials: Number(v) })}
        />
        <Amount
          label="Minutes"
          hint="no limit"
          value={plan.minutes}
          wrong={at("minutes")}
          onValue={(minutes) => change({ minutes })}
        />
        <Amount
          label="Until score"
          hint="none"
          value={plan.target}
          wrong={at("target score")}
          onValue={(target) => change({ target })}
        />
        <Amount
          label="No gain in"
          hint="trials"
          value={plan.patience}
          wrong={at("no gain in")}
          onValue={(patience) => change({ patience })}
        />
        <Amount
          label="Workers"
          hint={String(cores)}
          value={plan.workers}
          wrong={at("workers")}
          onValue={(workers) => change({ workers })}
        />
        <Amount label="Seed" value={plan.seed} wrong={at("seed")} onValue={(v) => change({ seed: Number(v) })} />
        <label
          className="row small"
          style={{ gap: 5 }}
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
        <FromDecision
          learner={learner}
          value={plan.decision}
          wrong={at("from decisions")}
          onChange={(decision) => change({ decision })}
        />
        <PastResults problem={problem} learner={learner} />
      </div>
      <div className="row" style={{ marginTop: 8, alignItems: "center" }}>
        <div className="grow small" role="status" data-forecast style={{ lineHeight: 1.45 }}>
          {wrong ? (
            <span role="alert" className="ember" data-error="plan">
              {wrong.message.split("\n")[0]}
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
          disabled={!ready || rehearsal.isPending}
          title="Four cheap fits on one fold: proves that the set-up works, and times it."
          onClick={() => rehearsal.mutate()}
        >
          {rehearsal.isPending ? "Rehearsing …" : "Rehearse"}
        </Button>
        <Button
          variant="contained"
          size="large"
          sx={{ flex: "none" }}
          disabled={!ready || launch.isPending}
          onClick={() => launch.mutate()}
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

function request(plan: Plan, learner: string, space: string): Schemas["SearchRequest"] {
  const amount = (value: number | "") => (value === "" ? null : value);
  return {
    learner,
    space,
    overrides: [],
    plan: {
      strategy: plan.strategy,
      "early stopping": plan.strategy === "population training" ? "none" : plan.stopping,
      stopping: plan.settings,
      trials: plan.trials,
      minutes: amount(plan.minutes),
      "target score": amount(plan.target),
      "no gain in": amount(plan.patience),
      workers: amount(plan.workers),
      seed: plan.seed,
      starts: [],
      "from decisions": plan.decision === null ? [] : [plan.decision],
      "warm start": plan.warm ? "all" : "none",
      "fit seconds": 600,
      "trial seconds": null,
      "checkpoint mb": 2048,
      "memory mb": null,
      "prefix mb": 512,
    },
  };
}

interface AmountProps {
  label: string;
  hint?: string;
  value: number | "";
  wrong: boolean;
  onValue: (value: number | "") => void;
}

function Amount({ label, hint, value, wrong, onValue }: AmountProps) {
  return (
    <TextField
      label={label}
      type="number"
      placeholder={hint}
      value={value}
      error={wrong}
      onChange={(e) => onValue(e.target.value === "" ? "" : Number(e.target.value))}
      slotProps={{ inputLabel: { shrink: true }, htmlInput: { step: "any" } }}
      sx={{ width: hint === "no limit" ? 90 : 80 }}
    />
  );
}
