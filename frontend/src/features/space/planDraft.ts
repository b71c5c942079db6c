import type { Problem, Schemas, Search } from "../../api/client";
import type { Change } from "../../lib/change";
import { limitsOf, limitsText } from "../../lib/limits";
import { keepDraft, readDraft } from "../../lib/kept";

export interface Plan {
  strategy: string;
  stopping: string;
  settings: Record<string, number | string>; // of early stopping
  strategySettings: Record<string, number | string>;
  trials: number | "";
  minutes: number | "";
  target: number | "";
  noGainIn: number | "";
  limits: string; // parted by commas, as they are written
  against: string; // names parted by commas
  workers: number | "";
  cluster: string | null; // address of its scheduler; empty for this machine; null for what the server offers first
  seed: number | "";
  warm: boolean;
  memory: boolean; // whether earlier problems teach it something
  decision: number | null;
}

/** What the brief asks of every search that says nothing else. */
type Usual = Pick<Problem["judging"], "limits" | "against">;

type Asked = Schemas["SettingsRequest"];

/** The plan to begin with: that of the last search with the next seed, or what one would mostly want. */
export function firstPlan(searches: Search[], { limits, against }: Usual): Plan {
  const last = searches.find((s) => s.kind === "search");
  const seed = 1 + searches.filter((s) => s.kind === "search").length;
  if (!last)
    return {
      ...{ strategy: "automatic", stopping: "automatic", settings: {}, strategySettings: {} },
      ...{ trials: 60, minutes: "", target: "", noGainIn: "", workers: "", seed, warm: true, decision: null },
      memory: true,
      cluster: null,
      limits: limitsText(limits),
      against: limitsText(against),
    };
  const asked = last.asked;
  const amount = (value: number | null) => value ?? ("" as const);
  return {
    strategy: asked.strategy,
    stopping: asked.early_stopping,
    settings: given(asked.stopping),
    strategySettings: given(asked.strategy_settings),
    trials: asked.trials,
    minutes: amount(asked.minutes),
    target: amount(asked.target_score),
    noGainIn: amount(asked.no_gain_in),
    limits: limitsText(asked.limits ?? limits),
    against: limitsText(asked.against ?? against),
    workers: asked.workers === "all" ? "" : amount(asked.workers),
    cluster: asked.cluster,
    seed: Math.max(seed, asked.seed + 1),
    warm: asked.warm_start !== "none" || last.number === 1, // the first had nothing to know
    memory: asked.memory,
    decision: null,
  };
}

/** Settings that are numbers or words, as they all are. */
const given = (settings: Search["asked"]["stopping"]): Plan["settings"] =>
  Object.fromEntries(
    Object.entries(settings).filter((one): one is [string, number | string] => typeof one[1] !== "boolean"),
  );

const keyOf = (problem: number) => `pellux-plan-${problem}`;

/** What a draft rests on: once another search is there, it begins anew with that one's. */
export const restsOn = (searches: Search[]) =>
  String(Math.max(0, ...searches.filter((s) => s.kind === "search").map((s) => s.id)));

/** What was typed wrong is not kept: it comes back as it was at first. */
export function plannedBefore(problem: number, searches: Search[], usual: Usual): Plan {
  const first = firstPlan(searches, usual);
  const kept = (readDraft(keyOf(problem), restsOn(searches)) ?? {}) as Partial<Plan>;
  const sound = Object.entries(kept).filter(([key, value]) => key in first && (value !== null || key === "decision"));
  return { ...first, ...Object.fromEntries(sound) };
}

export const keepPlan = (problem: number, searches: Search[], plan: Plan) =>
  keepDraft(keyOf(problem), restsOn(searches), plan);

export function requestOf(
  plan: Plan,
  learner: string,
  space: string,
  decision: number | null,
): Schemas["SearchRequest"] {
  const amount = (value: number | "") => (value === "" ? null : value);
  const rest: Pick<Asked, "fit seconds" | "trial seconds" | "checkpoint mb" | "memory mb" | "prefix mb"> = {
    "fit seconds": 600,
    "trial seconds": null,
    "checkpoint mb": 2048,
    "memory mb": null,
    "prefix mb": 512,
  };
  return {
    learner,
    space,
    overrides: [],
    plan: {
      strategy: plan.strategy,
      "strategy settings": plan.strategySettings,
      "early stopping": plan.stopping,
      stopping: plan.settings,
      trials: plan.trials || 1,
      minutes: amount(plan.minutes),
      "target score": amount(plan.target),
      "no gain in": amount(plan.noGainIn),
      limits: limitsOf(plan.limits),
      against: limitsOf(plan.against),
      // What is left open follows a cluster's machines as they join and leave.
      workers: plan.cluster && plan.workers === "" ? "all" : amount(plan.workers),
      runner: { cluster: plan.cluster ?? "" },
      seed: plan.seed || 0,
      starts: [],
      "from decisions": decision === null ? [] : [decision],
      "warm start": plan.warm ? "all" : "none",
      memory: plan.memory,
      ...rest,
    },
  };
}

/** The part of a proposed change that is about the plan. */
export function planned({ plan }: Change): Partial<Plan> {
  return {
    ...(typeof plan.workers === "number" ? { workers: plan.workers } : {}),
    ...(typeof plan["early stopping"] === "string" ? { stopping: plan["early stopping"], settings: {} } : {}),
  };
}
