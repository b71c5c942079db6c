/** The brief while it is being written. */
import type { BriefRequest, Column, Data, TableProblem } from "../../api/client";
import { limitsOf, limitsText } from "../../lib/limits";

export const OTHER_ROLES = ["group", "time", "fold", "weight"] as const;
export type OtherRole = (typeof OTHER_ROLES)[number];
export type Role = "target" | "feature" | "ignore" | OtherRole;

export interface BriefForm {
  name: string;
  target: string;
  ignored: string[];
  roles: Record<OtherRole, string>; // the column with each role; empty: none
  metric: string; // empty: the default for the target
  recorded: string[];
  limits: string; // as they are written
  against: string; // names parted by commas
  positive: string;
  kind: string; // empty: the default for the task
  folds: number;
  repeats: number;
  gap: number;
  holdout: number;
  holdoutBy: string; // empty: as the folds
  seed: number;
}

const NO_ROLES: BriefForm["roles"] = { group: "", time: "", fold: "", weight: "" };

export function emptyForm(data: Data): BriefForm {
  const ignored = data.columns.filter((c) => c.role === "ignore").map((c) => c.name);
  return {
    name: "",
    target: "",
    ignored,
    roles: NO_ROLES,
    metric: "",
    recorded: [],
    limits: "",
    against: "",
    positive: "",
    kind: "",
    folds: 5,
    repeats: 1,
    gap: 0,
    holdout: 0.2,
    holdoutBy: "",
    seed: 0,
  };
}

export function formOf(problem: TableProblem, data: Data): BriefForm {
  const { brief } = problem;
  const roles = { group: brief.group, time: brief.time, fold: brief.fold, weight: brief.weight };
  const used = new Set([...brief.features, brief.target, ...Object.values(roles)]);
  return {
    name: problem.name,
    target: brief.target,
    ignored: data.columns.map((c) => c.name).filter((name) => !used.has(name)),
    roles,
    metric: brief.metric,
    recorded: brief.recorded,
    limits: limitsText(problem.judging.limits),
    against: limitsText(problem.judging.against),
    positive: brief.task === "binary" ? (brief.classes[1] ?? "") : "",
    kind: brief.split,
    folds: brief.folds,
    repeats: brief.repeats,
    gap: brief.gap,
    holdout: brief.holdout,
    holdoutBy: brief.holdout_by,
    seed: brief.seed,
  };
}

export function requestOf(form: BriefForm, data: Data): BriefRequest {
  const taken = new Set([form.target, ...form.ignored, ...Object.values(form.roles)]);
  const share = `${Math.round(form.holdout * 1e6) / 1e4} %`;
  const repeats = form.repeats > 1 && form.kind !== "ordered" && form.kind !== "column" ? ` x ${form.repeats}` : "";
  return {
    data: data.hash,
    target: form.target,
    name: form.name,
    metric: form.metric || null,
    recorded: form.recorded,
    limits: limitsOf(form.limits),
    against: limitsOf(form.against),
    positive: form.positive || null,
    features: data.columns.map((c) => c.name).filter((name) => !taken.has(name)),
    ignore: [],
    group: form.roles.group || null,
    time: form.roles.time || null,
    fold: form.roles.fold || null,
    weight: form.roles.weight || null,
    folds: form.kind === "column" ? "column" : `${form.folds}${form.kind ? ` ${form.kind}` : ""}${repeats}`,
    gap: form.kind === "ordered" ? form.gap : 0,
    holdout: form.holdoutBy ? `${share} by ${form.holdoutBy}` : share,
    seed: form.seed,
  };
}

export function roleOf(column: Column, form: BriefForm): Role {
  if (column.name === form.target) return "target";
  const other = OTHER_ROLES.find((role) => form.roles[role] === column.name);
  return other ?? (form.ignored.includes(column.name) ? "ignore" : "feature");
}

/** The form with a column's role changed; a split plan that the change makes impossible falls back to the usual one. */
export function withRole(form: BriefForm, name: string, role: Role): Partial<BriefForm> {
  const ignored = form.ignored.filter((other) => other !== name);
  const freed = { ...form.roles };
  for (const other of OTHER_ROLES) if (freed[other] === name) freed[other] = "";
  if (role === "target")
    return { target: name, ignored, roles: freed, metric: "", recorded: [], positive: "", kind: "" };
  const target = form.target === name ? "" : form.target;
  if (role === "ignore") return { target, ignored: [...ignored, name], roles: freed, ...lost(form, freed) };
  if (role === "feature") return { target, ignored, roles: freed, ...lost(form, freed) };
  const roles = { ...freed, [role]: name };
  const kind = { group: "", time: form.kind, fold: "column", weight: form.kind }[role];
  return { target, ignored, roles, kind, holdoutBy: "" };
}

function lost(form: BriefForm, roles: BriefForm["roles"]): Partial<BriefForm> {
  const needs: Record<string, OtherRole> = {
    grouped: "group",
    "stratified grouped": "group",
    ordered: "time",
    column: "fold",
  };
  const kind = needs[form.kind];
  return {
    ...(kind && !roles[kind] ? { kind: "" } : {}),
    ...(["group", "time"].includes(form.holdoutBy) && !roles[form.holdoutBy as OtherRole] ? { holdoutBy: "" } : {}),
  };
}

/** The kinds of folds that a task and the roles allow. */
export function kindsFor(task: string, roles: BriefForm["roles"]): string[] {
  const classes = task !== "regression";
  return [
    ...(classes ? ["stratified"] : []),
    "shuffled",
    ...(roles.group ? [...(classes ? ["stratified grouped"] : []), "grouped"] : []),
    ...(roles.time ? ["ordered"] : []),
    ...(roles.fold ? ["column"] : []),
  ];
}
