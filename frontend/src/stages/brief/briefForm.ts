/** The brief while it is being written. */
import type { BriefRequest, Data, Problem } from "../../api/client";

export interface BriefForm {
  name: string;
  target: string;
  ignored: string[];
  metric: string; // empty: the default for the target
  positive: string;
  kind: string; // empty: the default for the task
  folds: number;
  holdout: number;
  seed: number;
}

export function emptyForm(data: Data): BriefForm {
  const ignored = data.columns.filter((c) => c.role === "ignore").map((c) => c.name);
  return { name: "", target: "", ignored, metric: "", positive: "", kind: "", folds: 5, holdout: 0.2, seed: 0 };
}

export function formOf(problem: Problem, data: Data): BriefForm {
  const { brief } = problem;
  const used = new Set([...brief.features, brief.target]);
  return {
    name: problem.name,
    target: brief.target,
    ignored: data.columns.map((c) => c.name).filter((name) => !used.has(name)),
    metric: brief.metric,
    positive: brief.task === "binary" ? (brief.classes[1] ?? "") : "",
    kind: brief.split,
    folds: brief.folds,
    holdout: brief.holdout,
    seed: brief.seed,
  };
}

export function requestOf(form: BriefForm, data: Data): BriefRequest {
  return {
    data: data.hash,
    target: form.target,
    name: form.name,
    metric: form.metric || null,
    positive: form.positive || null,
    features: data.columns.map((c) => c.name).filter((name) => name !== form.target && !form.ignored.includes(name)),
    ignore: [],
    folds: form.kind ? `${form.folds} ${form.kind}` : form.folds,
    holdout: form.holdout,
    seed: form.seed,
  };
}
