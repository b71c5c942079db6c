import { expect, it } from "vitest";
import { differing } from "../../../src/features/live/differing";
import { points } from "../../making";

const parameters = [
  { name: "depth", kind: "whole range", from: 2, to: 12, scale: "linear" },
  { name: "rate", kind: "range", from: 1e-4, to: 1, scale: "log" },
  { name: "kind", kind: "choice", options: [] },
  { name: "bins", kind: "fixed", value: 255 },
];
const best = { trial_id: 1, search: 1, number: 0, score: 1, standard_error: null, folds: [] };

it("settings come first that differ most from the best, on their own scales", () => {
  const shown = { ...points([0.5]), values: { depth: [6], rate: [0.01], kind: ["a"] } };
  const of = (own: Record<string, string | number>) => differing({ parameters, best }, shown, own);
  expect(of({ depth: 7, rate: 0.0001, kind: "a" })).toEqual(["rate", "depth", "kind"]);
  expect(of({ depth: 12, rate: 0.02, kind: "a" })).toEqual(["depth", "rate", "kind"]);
  expect(of({ depth: 6, rate: 0.01, kind: "b" })).toEqual(["kind", "depth", "rate"]);
  expect(differing({ parameters, best: null }, shown, {})).toEqual(["depth", "rate", "kind"]);
});
