/** Entries by themselves; what a whole ledger makes is in patches.test.ts. */
import { describe, expect, it } from "vitest";
import { fit, points } from "../making";
import type { Entry, Lanes } from "../../src/api/client";
import { patchHappening, patchLanes, patchPoints } from "../../src/api/patches";

const entry = <K extends Entry["kind"]>(kind: K, data: object, id = 1) =>
  ({ id, at: 200 + id, kind, search_id: 1, data }) as unknown as Extract<Entry, { kind: K }>;
const trial = (number: number, more = {}) => ({
  id: 10 + number,
  number,
  state: "running",
  scores: [0.8, 1],
  origin: "proposed",
  mean: null,
  standard_error: null,
  seconds: 1,
  ended_at: null,
  configuration: { depth: 4, extra: 1 },
  ...more,
});

describe("ledger entries", () => {
  it("change what is held, and change nothing when they come twice", () => {
    const empty: Lanes = { fits: [], now: 0, devices: [] };
    const entries = [
      entry("fit", fit(1, 0, "running")),
      entry("fit", fit(1, 0, "done", { ended_at: 101, score: 0.5 }), 2),
    ];
    const once = patchLanes(empty, entries);
    expect(once.fits).toHaveLength(1);
    expect(once.fits[0]!.state).toBe("done");
    expect(patchLanes(once, entries)).toEqual(once);

    const held = points([0.5, 0.6]);
    const more = [entry("trial", trial(2, { ended_at: 120, mean: 0.9, state: "scored" })), entry("trial", trial(3))];
    const next = patchPoints(held, more);
    expect(next.means).toEqual([0.5, 0.6, 0.9]);
    expect(next.values.depth).toEqual([2, 3, 4]);
    expect(next.values.extra).toEqual([null, null, 1]);
    expect(next.fold_effects.map((e) => e.toFixed(3))).toEqual(["-0.100", "0.100"]);
    expect(next.complete).toBe(1);
    expect(patchPoints(next, more)).toEqual(next);
    expect(held.means).toEqual([0.5, 0.6]);
  });
  it("keep live trials apart from ended ones", () => {
    const begun = patchHappening({ live: {}, ended: [] }, [entry("trial", trial(1)), entry("trial", trial(2))]);
    expect(Object.keys(begun.live)).toEqual(["1", "2"]);
    const later = patchHappening(begun, [entry("trial", trial(1, { ended_at: 5, state: "scored" }))]);
    expect(Object.keys(later.live)).toEqual(["2"]);
    expect(later.ended.map((t) => t.number)).toEqual([1]);
  });
});
