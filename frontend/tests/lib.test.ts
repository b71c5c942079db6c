/** The pure half of the front end: scales, formats, ramp, patches, layouts. */
import { describe, expect, it } from "vitest";
import type { Entry, Lanes, Points, Setting } from "../src/api/client";
import { patchHappening, patchLanes, patchPoints } from "../src/api/patches";
import { duration, figure, score, withError } from "../src/lib/format";
import { goodness, scoreScale } from "../src/lib/ramp";
import { axisFor, endsOf, moveEnd, ticks, toShare, toValue, type RangeParameter } from "../src/lib/scale";
import { bestTrace } from "../src/lib/trace";
import { dots, nearest, place } from "../src/charts/laneLayout";
import { ringArcs } from "../src/charts/foldRingLayout";
import { layOut } from "../src/charts/workerLanesLayout";

const rate: RangeParameter = { name: "rate", kind: "real", low: 0.01, high: 0.3, log: true };
const depth: RangeParameter = { name: "depth", kind: "integer", low: 2, high: 20, log: false };
const setting = (domain: string, limits: string) => ({ domain, limits }) as Setting;

const points = (means: (number | null)[], ended = means.map((_, i) => 100 + i)): Points => ({
  numbers: means.map((_, i) => i),
  ids: means.map((_, i) => i + 1),
  states: means.map((m) => (m === null ? "failed" : "scored")),
  origins: means.map(() => "proposed"),
  means,
  standard_errors: means.map(() => 0.01),
  seconds: means.map(() => 1),
  ended_at: ended,
  values: { depth: means.map((_, i) => 2 + i), kind: means.map((_, i) => (i % 2 ? "a" : "b")) },
});

describe("numbers as people read them", () => {
  it("gives a score the digits its error supports", () => {
    expect(withError(0.71234, 0.0271)).toBe("0.712 ± 0.027");
    expect(withError(5.9178, 0.13)).toBe("5.92 ± 0.13");
    expect(score(0.5)).toBe("0.5000");
    expect(score(null)).toBe("–");
  });
  it("writes durations and figures plainly", () => {
    expect([0.31, 4.25, 59.4, 250, 7500].map(duration)).toEqual(["310 ms", "4.3 s", "59 s", "4 min 10 s", "2 h 5 min"]);
    expect([255, 1234567, 0.00012, 0.0481, 12000].map(figure)).toEqual([
      "255",
      "1.2e6",
      "1.2e-4",
      "0.0481",
      "12\u202f000",
    ]);
  });
});

describe("axes of lanes", () => {
  it("goes to a place and back", () => {
    for (const parameter of [rate, depth]) {
      const axis = axisFor(parameter, undefined);
      for (const share of [0, 0.2, 0.5, 0.93, 1]) expect(toShare(toValue(share, axis), axis)).toBeCloseTo(share, 10);
      expect(axis.low).toBeLessThan(parameter.low);
      expect(axis.high).toBeGreaterThan(parameter.high);
    }
  });
  it("stays within what the learner accepts", () => {
    const axis = axisFor(depth, setting("2 .. 30 int", "1 .. 1000 int"));
    expect(axis.low).toBe(1);
    expect(endsOf("1e-4 .. 1e3 log")).toEqual([1e-4, 1e3]);
    expect(endsOf("yes | no")).toBeNull();
  });
  it("moves an end without ever breaking the range", () => {
    const axis = axisFor(depth, undefined);
    expect(moveEnd(depth, "low", 7.4, axis).low).toBe(7);
    expect(moveEnd(depth, "low", 99, axis).low).toBe(19);
    expect(moveEnd(depth, "high", -5, axis).high).toBe(3);
    const log = axisFor(rate, undefined);
    expect(moveEnd(rate, "high", 0.123456, log).high).toBe(0.12);
    expect(moveEnd(rate, "low", -1, log).low).toBeGreaterThan(0);
    const stepped: RangeParameter = { name: "d", kind: "real", low: 0, high: 0.6, log: false, step: 0.1 };
    expect(moveEnd(stepped, "high", 0.33, axisFor(stepped, undefined)).high).toBe(0.3);
  });
  it("puts few round numbers along the axis", () => {
    expect(ticks({ low: 0.01, high: 10, log: true })).toEqual([0.01, 0.03, 0.1, 0.3, 1, 3, 10]);
    expect(ticks({ low: 0, high: 1, log: false })).toEqual([0, 0.2, 0.4, 0.6, 0.8, 1]);
    expect(ticks({ low: 1e-12, high: 1e12, log: true }).length).toBeLessThan(9);
  });
});

describe("scores", () => {
  it("knows good from bad whichever way the metric points", () => {
    const up = scoreScale([0.1, 0.5, 0.9], true);
    const down = scoreScale([0.1, 0.5, 0.9], false);
    expect(goodness(0.9, up)).toBe(1);
    expect(goodness(0.1, down)).toBe(1);
    expect(goodness(-99, up)).toBe(0);
    expect(scoreScale([], true)).toEqual({ low: 0, high: 1, larger: true });
  });
  it("traces the best in the order in which trials ended", () => {
    const found = bestTrace(points([0.5, 0.7, null, 0.6, 0.8], [103, 101, 102, 100, 104]), true);
    expect(found.map((p) => p.best)).toEqual([0.6, 0.7, 0.7, 0.8]);
    expect(found.map((p) => p.seconds)).toEqual([0, 1, 3, 4]);
    expect(bestTrace(points([3, 2, 4]), false).map((p) => p.best)).toEqual([3, 2, 2]);
  });
});

const entry = <K extends Entry["kind"]>(kind: K, data: object, id = 1) =>
  ({ id, at: 200 + id, kind, search_id: 1, data }) as unknown as Extract<Entry, { kind: K }>;
const fit = (trial: number, fold: number, state: string, more = {}) => ({
  trial,
  fold,
  state,
  attempt: 1,
  lane: 0,
  started_at: 100,
  ended_at: null,
  score: null,
  seconds: 0,
  rung: 0,
  reason: "",
  ...more,
});
const trial = (number: number, more = {}) => ({
  id: 10 + number,
  number,
  state: "running",
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
    const empty: Lanes = { fits: [], now: 0 };
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

describe("marks", () => {
  it("cuts a ring into as many arcs as there are folds", () => {
    const arcs = ringArcs([0.5, null, 1], 40, 8);
    expect(arcs.map((a) => a.filled)).toEqual([0.5, null, 1]);
    expect(new Set(arcs.map((a) => a.path)).size).toBe(3);
  });
  it("lays dots by value and score, and finds the one under the pointer", () => {
    const axis = axisFor(depth, undefined);
    const found = dots(depth, points([0.2, null, 0.8]), axis, 400, { low: 0, high: 1, larger: true });
    expect(found.map((d) => d.index)).toEqual([0, 2]);
    expect(found[1]!.y).toBeLessThan(found[0]!.y);
    expect(nearest(found, found[1]!.x + 2, found[1]!.y)!.index).toBe(2);
    expect(nearest(found, 399, 60)).toBeNull();
    const kind = {
      name: "kind",
      kind: "choice" as const,
      options: [
        { value: "a", weight: 1 },
        { value: "b", weight: 1 },
      ],
    };
    expect(place(kind, "b", null, 228)).toBeCloseTo(14 + 150);
    expect(place(kind, "z", null, 228)).toBeNull();
  });
  it("shows how much of the time each worker fitted", () => {
    const fits = [
      fit(1, 0, "done", { lane: 0, started_at: 0, ended_at: 6 }),
      fit(1, 1, "running", { lane: 1, started_at: 5 }),
    ];
    const picture = layOut(fits as never, 10, 1e9, 100, 2);
    expect(picture.lanes.map((l) => l.used)).toEqual([0.6, 0.5]);
    expect(picture.blocks.map((b) => [b.x, b.width])).toEqual([
      [0, 60],
      [50, 50],
    ]);
    expect(layOut(fits as never, 10, 4, 100, 3).lanes.map((l) => l.used)).toEqual([0, 1, 0]);
  });
});
