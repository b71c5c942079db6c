import { expect, it } from "vitest";
import { carriedBy, changed, replaceLine } from "../../src/lib/change";

const SPACE = "rate: 1e-4 .. 1 log  # how far a step goes\nkind: p | q\nown: 0 .. 1 if kind == p\n";

it("a change is made line by line, requirements at the end, the rest as it was", () => {
  const after = changed(SPACE, {
    lines: [{ name: "rate", before: "", after: "rate: 1e-5 .. 1 log" }],
    requirements: ["rate <= 0.5"],
    plan: {},
  });
  expect(after).toBe(
    "rate: 1e-5 .. 1 log  # how far a step goes\nkind: p | q\nown: 0 .. 1 if kind == p\nrequire rate <= 0.5\n",
  );
  expect(replaceLine(SPACE, "kind", "")).toBe("rate: 1e-4 .. 1 log  # how far a step goes\nown: 0 .. 1 if kind == p\n");
  expect(carriedBy(null)).toBeNull();
  expect(carriedBy({ other: 1 })).toBeNull();
});
