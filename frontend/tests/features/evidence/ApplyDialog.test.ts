import { expect, it } from "vitest";
import type { Finding } from "../../../src/api/evidence";
import { changeOf } from "../../../src/features/evidence/ApplyDialog";

const finding = (part: Partial<Finding>): Finding => ({
  code: "",
  sentence: "",
  names: [],
  trials: [],
  lines: [],
  requirements: [],
  plan: {},
  ...part,
});

it("findings together change what each changes", () => {
  const line = { name: "rate", before: "rate: 0 .. 1", after: "rate: 0 .. 2" };
  const found = changeOf([
    finding({ lines: [line], plan: { workers: 2 } }),
    finding({ requirements: ["rate <= 1"], plan: { "early stopping": "fold race" } }),
  ]);
  expect(found).toEqual({
    lines: [line],
    requirements: ["rate <= 1"],
    plan: { workers: 2, "early stopping": "fold race" },
  });
});
