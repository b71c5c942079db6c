import { expect, it } from "vitest";
import { settingsOf } from "../../../src/features/evidence/Compare";

it("settings that differ come first; one that only some have differs", () => {
  const found = settingsOf([
    { configuration: { rate: 0.1, kind: "p", depth: 3 } },
    { configuration: { rate: 0.2, kind: "p", own: 0.5, depth: 3 } },
  ]);
  expect(found).toEqual([
    { name: "rate", differs: true },
    { name: "own", differs: true },
    { name: "kind", differs: false },
    { name: "depth", differs: false },
  ]);
});
