import { expect, it } from "vitest";
import { sentencesIn } from "../../src/lib/sentences";

it("finds the sentence behind each setting", () => {
  expect(
    sentencesIn("rate: 0 .. 1 log, start 0.1  # step size\nwidth: 1 .. 4 int\n# alone\nrequire rate < 1 # no setting"),
  ).toEqual({
    rate: "step size",
  });
});
