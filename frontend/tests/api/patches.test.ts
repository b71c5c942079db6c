/** What a real server told through the ledger, put into empty pictures, makes the pictures that it would have answered with. */
import { describe, expect, it } from "vitest";
import type { Curves, Entry, Lanes, Points } from "../../src/api/client";
import { patchCurves, patchLanes, patchPoints, type FitEntry, type TrialEntry } from "../../src/api/patches";
import recorded from "../recorded.json";

const ledger = recorded.ledger as Entry[];
const TREE = 1;
const NETWORK = 2;
const answers = recorded as unknown as Record<string, unknown>;
const answer = <T>(search: number, part: string) => answers[`GET /api/v1/searches/${search}/${part}`] as T;
const told = <K extends Entry["kind"]>(search: number, ...kinds: K[]) =>
  ledger.filter(
    (entry): entry is Extract<Entry, { kind: K }> => entry.search_id === search && kinds.includes(entry.kind as K),
  );
const near = (value: unknown): unknown =>
  typeof value === "number"
    ? Number(value.toPrecision(4))
    : Array.isArray(value)
      ? value.map(near)
      : value !== null && typeof value === "object"
        ? Object.fromEntries(Object.entries(value).map(([key, v]) => [key, near(v)]))
        : value;

describe("what the ledger told", () => {
  it.each([TREE, NETWORK])("makes the points of search %i", (search) => {
    const empty: Points = {
      ...{ numbers: [], ids: [], states: [], origins: [], means: [], standard_errors: [] },
      ...{ seconds: [], ended_at: [], keeps: [], values: {}, fold_effects: [], complete: 0 },
    };
    const made = patchPoints(empty, told(search, "trial") as TrialEntry[]);
    const fresh = answer<Points>(search, "points");
    const row = (points: Points, number: number) => {
      const at = points.numbers.indexOf(number);
      return [points.ids, points.states, points.origins, points.means, points.standard_errors].map((c) => c[at]);
    };
    expect(fresh.numbers.length).toBeGreaterThan(8);
    expect([...made.numbers].sort((a, b) => a - b)).toEqual([...fresh.numbers].sort((a, b) => a - b));
    for (const number of fresh.numbers) expect(near(row(made, number))).toEqual(near(row(fresh, number)));
    expect(near([made.fold_effects, made.complete])).toEqual(near([fresh.fold_effects, fresh.complete]));
  });

  it.each([TREE, NETWORK])("makes the fits of search %i", (search) => {
    const made = patchLanes({ fits: [], now: 0, devices: [] }, told(search, "fit") as FitEntry[]);
    const keyed = (lanes: Lanes) =>
      Object.fromEntries(
        lanes.fits.map((f) => [`${f.trial}/${f.fold}/${f.rung}`, [f.state, near(f.score), f.attempt]]),
      );
    expect(keyed(made)).toEqual(keyed(answer<Lanes>(search, "lanes")));
  });

  it.each([TREE, NETWORK])("makes what became of the trials of search %i, and their curves", (search) => {
    const fresh = answer<Curves>(search, "curves");
    const empty: Curves = {
      ...fresh,
      ...{ numbers: [], ids: [], states: [], origins: [], reasons: [], flat: [], members: [], rungs: [], parents: [] },
      ...{ best_iterations: [], means: [], best: [], xs: [], ys: [], open: [] },
    };
    const made = patchCurves(empty, told(search, "trial", "points") as TrialEntry[]);
    const row = (curves: Curves, number: number) => {
      const at = curves.numbers.indexOf(number);
      const { ids, states, reasons, flat, rungs, means, best } = curves;
      return near([ids, states, reasons, flat, rungs, means, best].map((column) => column[at]));
    };
    for (const number of fresh.numbers) expect(row(made, number)).toEqual(row(fresh, number));
    expect(made.open).toEqual([]);
    const whole = (curves: Curves, number: number) => curves.xs[curves.numbers.indexOf(number)]!.at(-1);
    for (const number of fresh.numbers.filter((_, i) => fresh.states[i] === "scored"))
      expect(whole(made, number)).toBe(whole(fresh, number));
  });

  it("says nothing new the second time", () => {
    const entries = told(NETWORK, "trial", "points") as TrialEntry[];
    const once = patchCurves(answer<Curves>(NETWORK, "curves"), entries);
    expect(patchCurves(once, entries)).toEqual(once);
  });
});

describe("curves of a trial under way", () => {
  const started = told(NETWORK, "trial")
    .filter((entry) => entry.data.state === "running")
    .slice(0, 1) as TrialEntry[];
  const number = started[0]!.data.number;
  const points = (fold: number, id: number, ...drawn: [number, number][]) =>
    ({
      id,
      at: id,
      search_id: NETWORK,
      kind: "points",
      data: { trial: number, fold, rung: 0, points: drawn },
    }) as Extract<Entry, { kind: "points" }>;
  const empty: Curves = {
    ...answer<Curves>(NETWORK, "curves"),
    ...{ numbers: [], ids: [], states: [], origins: [], reasons: [], flat: [], members: [], rungs: [], parents: [] },
    ...{ best_iterations: [], means: [], best: [], xs: [], ys: [], open: [] },
  };

  it("are means as far as every fold under way has come, and know no point twice", () => {
    const entries = [...started, points(0, 1, [1, 0.2], [2, 0.4]), points(1, 2, [1, 0.4])];
    const made = patchCurves(empty, entries);
    expect([made.xs[0], made.ys[0]!.map((y) => Math.round(10 * y))]).toEqual([[1], [3]]);
    const later = patchCurves(made, [points(1, 3, [1, 0.9], [2, 0.8])]);
    expect(later.xs[0]).toEqual([1, 2]);
    expect(later.ys[0]![1]).toBeCloseTo(0.6);
    expect(empty.numbers).toEqual([]);
  });
});
