import { expect, it } from "vitest";
import { PLAIN, arranged, columnsOf, offsets, toggled } from "../../../src/features/evidence/trialColumns";

const columns = columnsOf({ together: true, metric: "recall ↑", recorded: ["log loss"], settings: ["rate", "kind"] });

it("columns are hidden, pinned to the left in their order, and never without the number", () => {
  expect(columns.map((c) => c.key)).toEqual([
    "search",
    "number",
    "folds",
    "score",
    "seconds",
    "log loss",
    "rate",
    "kind",
    "seen",
  ]);
  const shown = arranged(columns, { hidden: ["number", "seconds", "log loss"], pinned: ["rate", "number"] });
  expect(shown.map((c) => c.key)).toEqual(["number", "rate", "search", "folds", "score", "kind", "seen"]);
  const left = offsets(shown, ["rate", "number"], 10, 12);
  expect([left.get("number"), left.get("rate"), left.get("kind")]).toEqual([12, 12 + 64 + 10, undefined]);
  expect(toggled(toggled(PLAIN.pinned, "rate"), "number")).toEqual(["search", "rate"]);
});
