import { describe, expect, it } from "vitest";
import type { Data, TableProblem } from "../../../src/api/client";
import { emptyForm, formOf, kindsFor, requestOf, roleOf, withRole } from "../../../src/features/brief/briefForm";

const column = (name: string, role: "feature" | "ignore" = "feature") => ({
  name,
  type: "number" as const,
  missing: 0,
  distinct: 9,
  categories: [],
  low: 0,
  high: 1,
  whole: false,
  histogram: [1],
  role,
  why: "",
  note: "",
  examples: [],
});
const data: Data = {
  hash: "h",
  name: "d.csv",
  rows: 100,
  source: "h",
  reading: { format: "csv", encoding: "utf-8", delimiter: ",", quote: '"', decimal: ".", types: {}, notes: [] },
  columns: [column("a"), column("b"), column("t"), column("id", "ignore")],
};

describe("the brief's form", () => {
  it("leaves out what is ignored, and never learns from the target", () => {
    const form = { ...emptyForm(data), target: "t" };
    expect(form.ignored).toEqual(["id"]);
    const request = requestOf(form, data);
    expect(request.features).toEqual(["a", "b"]);
    expect([request.metric, request.positive, request.folds]).toEqual([null, null, "5"]);
    expect(requestOf({ ...form, kind: "shuffled", metric: "RMSE" }, data).folds).toBe("5 shuffled");
  });
  it("comes back from a problem as it was", () => {
    const brief = {
      target: "t",
      features: ["b"],
      metric: "F1",
      task: "binary",
      classes: ["no", "yes"],
      split: "stratified",
      folds: 4,
      repeats: 2,
      gap: 0,
      holdout: 0.1,
      holdout_by: "",
      seed: 3,
      recorded: ["accuracy"],
      ...{ group: "a", time: "", fold: "", weight: "" },
    };
    const form = formOf(
      {
        name: "P",
        brief,
        judging: { limits: ["accuracy >= 0.5"], against: ["fit seconds"] },
      } as unknown as TableProblem,
      data,
    );
    expect(requestOf(form, data).limits).toEqual(["accuracy >= 0.5"]);
    expect(form).toEqual({
      name: "P",
      target: "t",
      ignored: ["id"],
      roles: { group: "a", time: "", fold: "", weight: "" },
      metric: "F1",
      recorded: ["accuracy"],
      limits: "accuracy >= 0.5",
      against: "fit seconds",
      positive: "yes",
      kind: "stratified",
      folds: 4,
      repeats: 2,
      gap: 0,
      holdout: 0.1,
      holdoutBy: "",
      seed: 3,
    });
    const request = requestOf(form, data);
    expect([request.folds, request.group, request.holdout]).toEqual(["4 stratified x 2", "a", "10 %"]);
    expect(request.features).toEqual(["b"]);
  });
  it("gives each role to one column, and drops a split plan that lost its role", () => {
    const form = { ...emptyForm(data), target: "t" };
    const grouped = { ...form, ...withRole(form, "a", "group"), kind: "grouped" };
    expect([roleOf(column("a"), grouped), requestOf(grouped, data).group]).toEqual(["group", "a"]);
    const other = { ...grouped, ...withRole(grouped, "b", "group") };
    expect([roleOf(column("a"), other), roleOf(column("b"), other)]).toEqual(["feature", "group"]);
    const back = { ...grouped, ...withRole(grouped, "a", "feature") };
    expect([back.kind, back.roles.group]).toEqual(["", ""]);
    expect(kindsFor("regression", grouped.roles)).toEqual(["shuffled", "grouped"]);
  });
});
