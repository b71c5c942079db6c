import Button from "@mui/material/Button";
import TextField from "@mui/material/TextField";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useNavigate } from "react-router";
import { api, settled, type Problem, type Refusal, type Schemas } from "../../api/client";
import { keys, useCatalogue, useWorkspace } from "../../api/hooks";
import { useDebounced } from "../../app/useDebounced";
import { count } from "../../lib/format";

interface Props {
  problem: Problem;
  learner: string;
  space: string;
  ready: boolean;
}

interface Plan {
  strategy: string;
  trials: number;
  minutes: number | "";
  workers: number | "";
  seed: number;
}

/** The foot of the Space screen: the plan in one row, what it will cost, and Launch. */
export function PlanRow({ problem, learner, space, ready }: Props) {
  const cores = useWorkspace().data?.cores ?? 1;
  const strategies = useCatalogue().data?.strategies ?? [];
  const [plan, setPlan] = useState<Plan>({
    strategy: "random",
    trials: 60,
    minutes: "",
    workers: "",
    seed: 1 + problem.searches,
  });
  const change = (part: Partial<Plan>) => setPlan((held) => ({ ...held, ...part }));
  const body: Schemas["SearchRequest"] = {
    learner,
    space,
    plan: {
      strategy: plan.strategy,
      "early stopping": "none",
      trials: plan.trials,
      minutes: plan.minutes === "" ? null : plan.minutes,
      workers: plan.workers === "" ? null : plan.workers,
      seed: plan.seed,
      "fit seconds": 600,
      "memory mb": null,
    },
  };
  const path = { problem_id: problem.id };
  const asked = useDebounced(body, 250);
  const forecast = useQuery<Schemas["ForecastView"], Refusal>({
    queryKey: ["forecast", problem.id, asked],
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
  const wrong = launch.error ?? forecast.error;
  const at = (field: string) => wrong?.field === `plan.${field}`;
  const number = (text: string) => (text === "" ? "" : Number(text));
  return (
    <footer
      style={{ borderTop: "1px solid var(--rule)", background: "var(--sheet)", padding: "12px 20px" }}
      aria-label="Plan"
    >
      <div className="row" style={{ flexWrap: "wrap" }}>
        <TextField
          label="Strategy"
          select
          slotProps={{ select: { native: true } }}
          value={plan.strategy}
          onChange={(e) => change({ strategy: e.target.value })}
          sx={{ width: 124 }}
        >
          {strategies.map((s) => (
            <option key={s.key} value={s.key}>
              {s.label}
            </option>
          ))}
        </TextField>
        <TextField
          label="Trials"
          type="number"
          value={plan.trials}
          error={at("trials")}
          onChange={(e) => change({ trials: Number(e.target.value) })}
          sx={{ width: 92 }}
        />
        <TextField
          label="Minutes"
          type="number"
          placeholder="no limit"
          value={plan.minutes}
          error={at("minutes")}
          onChange={(e) => change({ minutes: number(e.target.value) })}
          slotProps={{ inputLabel: { shrink: true } }}
          sx={{ width: 100 }}
        />
        <TextField
          label="Workers"
          type="number"
          placeholder={String(cores)}
          value={plan.workers}
          error={at("workers")}
          onChange={(e) => change({ workers: number(e.target.value) })}
          slotProps={{ inputLabel: { shrink: true } }}
          sx={{ width: 92 }}
        />
        <TextField
          label="Seed"
          type="number"
          value={plan.seed}
          error={at("seed")}
          onChange={(e) => change({ seed: Number(e.target.value) })}
          sx={{ width: 84 }}
        />
        <div className="grow small" role="status" data-forecast>
          {wrong ? (
            <span role="alert" className="ember" data-error="plan">
              {wrong.message.split("\n")[0]}
            </span>
          ) : forecast.data ? (
            <>
              <b>
                {count(forecast.data.trials)} trials + baseline × {forecast.data.folds} folds ={" "}
                {count(forecast.data.fits)} fits
              </b>
              <br />
              <span className="soft">
                on {forecast.data.workers} {forecast.data.workers === 1 ? "worker" : "workers"}
                {forecast.data.configurations !== null &&
                  forecast.data.configurations < plan.trials &&
                  "; then the space is exhausted"}
              </span>
            </>
          ) : (
            <span className="soft">{ready ? "Counting …" : "The space is not complete yet."}</span>
          )}
        </div>
        <Button variant="contained" size="large" disabled={!ready || launch.isPending} onClick={() => launch.mutate()}>
          {launch.isPending ? "Launching …" : "Launch"}
        </Button>
      </div>
    </footer>
  );
}
