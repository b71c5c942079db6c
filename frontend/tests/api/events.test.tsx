/** What each kind of entry does to what is held, and how the stream is given up and taken up again. */
import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { renderHook, waitFor } from "@testing-library/react";
import { beforeEach, describe, expect, it, vi } from "vitest";
import type { Entry, Lanes, Points, Problem, Search } from "../../src/api/client";
import { apply, read, useLedger } from "../../src/api/events";
import { keys } from "../../src/api/keys";
import type { Happening } from "../../src/api/patches";
import type { Pace, Staleness } from "../../src/api/staleness";
import { fit, points } from "../making";

const SEARCH = 4;
const PROBLEM = 2;
const entry = (kind: Entry["kind"], data: object, more = {}) =>
  ({ id: 9, at: 209, kind, search_id: SEARCH, data, ...more }) as unknown as Entry;
const trial = (more = {}) => ({
  id: 31,
  number: 7,
  state: "scored",
  scores: [0.8, 0.9],
  origin: "proposed",
  mean: 0.85,
  standard_error: 0.05,
  seconds: 1,
  ended_at: 140,
  configuration: { depth: 4 },
  ...more,
});
const state = (more = {}) => ({
  problem_id: PROBLEM,
  run: "search",
  state: "running",
  workers: 2,
  active_seconds: 3,
  reason: "",
  ...more,
});
const search = (more = {}) =>
  ({ id: SEARCH, problem_id: PROBLEM, state: "running", workers: 2, halted: null, ...more }) as unknown as Search;
const problem = (best: number | null, larger = true) =>
  ({
    id: PROBLEM,
    judging: { larger_is_better: larger },
    best: best === null ? null : { score: best },
  }) as unknown as Problem;

const deaf: Staleness = { mark: () => undefined, markAll: () => undefined, stop: () => undefined };

/** What entries mark as stale, by key. */
function marked(entries: Entry[], prepare: (client: QueryClient) => void = () => undefined) {
  const client = new QueryClient();
  client.setQueryData(keys.searches(PROBLEM), [search()]);
  prepare(client);
  const found = new Map<string, Pace>();
  const stale: Staleness = {
    mark: (key, pace) => void found.set(JSON.stringify(key), pace),
    markAll: (kind, pace) => void found.set(JSON.stringify([kind]), pace),
    stop: () => undefined,
  };
  apply(client, stale, entries);
  return { client, pace: (key: readonly unknown[]) => found.get(JSON.stringify(key)), size: found.size };
}

describe("an entry", () => {
  it("of a trial that runs changes what is drawn and asks for next to nothing", () => {
    const { pace, client } = marked([entry("trial", trial({ ended_at: null, mean: null, state: "running" }))], (held) =>
      held.setQueryData(keys.happening(SEARCH), { live: {}, ended: [] }),
    );
    expect(pace(keys.curves(SEARCH))).toBe("never");
    expect(pace(keys.searches(PROBLEM))).toBe("slowly");
    expect(pace(keys.rows(SEARCH))).toBeUndefined();
    expect(Object.keys(client.getQueryData<Happening>(keys.happening(SEARCH))!.live)).toEqual(["7"]);
  });

  it("of a trial that ended brings rows and the front, and the problem only when it is better", () => {
    const ended = entry("trial", trial());
    const worse = marked([ended], (client) => client.setQueryData(keys.problem(PROBLEM), problem(0.9)));
    expect([worse.pace(keys.rows(SEARCH)), worse.pace(keys.front(SEARCH))]).toEqual(["soon", "soon"]);
    expect(worse.pace(keys.trial(31))).toBe("now");
    expect(worse.pace(keys.problem(PROBLEM))).toBeUndefined();
    for (const [best, larger, expected] of [
      [0.8, true, "slowly"],
      [0.9, false, "slowly"],
      [0.8, false, undefined],
      [null, true, "slowly"],
    ] as const) {
      const { pace } = marked([ended], (client) => client.setQueryData(keys.problem(PROBLEM), problem(best, larger)));
      expect(pace(keys.problem(PROBLEM)), `best ${best}, larger is better: ${larger}`).toBe(expected);
    }
    const failed = marked([entry("trial", trial({ mean: null, state: "failed" }))]);
    expect(failed.pace(keys.problem(PROBLEM)), "no score is no gain").toBeUndefined();
  });

  it("of a baseline or a safety check brings what shows them", () => {
    expect(marked([entry("trial", trial({ origin: "baseline" }))]).pace(["baselines"])).toBe("soon");
    expect(marked([entry("trial", trial({ origin: "recheck" }))]).pace(["safety"])).toBe("soon");
    expect(marked([entry("trial", trial())]).pace(["baselines"])).toBeUndefined();
  });

  it("that a search still runs is patched; that it changed its state is asked for", () => {
    const steady = marked([entry("search", state())]);
    expect(steady.pace(keys.searches(PROBLEM))).toBe("slowly");
    expect(steady.pace(keys.problems)).toBeUndefined();
    const paused = marked([entry("search", state({ state: "paused" }))]);
    for (const key of [keys.searches(PROBLEM), keys.workspace, keys.problems, keys.finalists(PROBLEM)])
      expect(paused.pace(key), JSON.stringify(key)).toBe("now");
    expect(paused.pace(keys.analysis("evidence", SEARCH))).toBe("now");
    expect(paused.client.getQueryData<Search[]>(keys.searches(PROBLEM))![0]!.state).toBe("paused");
    expect(marked([entry("search", state({ workers: 5 }))]).pace(keys.searches(PROBLEM))).toBe("now");
    const baselines = marked([entry("search", state({ run: "baselines", state: "finished" }), { search_id: 8 })]);
    expect(baselines.pace(keys.baselines(PROBLEM))).toBe("now");
  });

  it("that a search ended or goes on brings what shows it, also where the list knew of it before the entry came", () => {
    const knows = (now: string) => (client: QueryClient) =>
      client.setQueryData(keys.searches(PROBLEM), [search({ state: now })]);
    const over = marked([entry("search", state({ state: "finished" }))], knows("finished"));
    const resumed = marked([entry("search", state())], (client) => {
      apply(client, deaf, [entry("search", state({ state: "paused" }))]);
      knows("running")(client);
    });
    const on = marked([entry("search", state())], (client) => apply(client, deaf, [entry("search", state())]));
    for (const key of [keys.searches(PROBLEM), keys.problems, keys.finalists(PROBLEM)]) {
      expect(over.pace(key), JSON.stringify(key)).toBe("now");
      expect(resumed.pace(key), JSON.stringify(key)).toBe("now");
    }
    expect(on.pace(keys.searches(PROBLEM))).toBe("slowly");
  });

  it("of a face-off's run concerns the face-off and no list of searches", () => {
    const running = marked([entry("search", state({ run: "face-off" }), { search_id: 77 })]);
    expect(running.pace(keys.faceoffs(PROBLEM))).toBe("never");
    expect(running.pace(keys.searches(PROBLEM))).toBeUndefined();
    const over = marked([entry("search", state({ run: "face-off", state: "finished" }), { search_id: 77 })]);
    expect(over.pace(keys.faceoffs(PROBLEM))).toBe("now");
  });

  it("of a fit moves the lanes of its own search only", () => {
    const none: Lanes = { fits: [], now: 0, devices: [] };
    const { client } = marked([entry("fit", fit(1, 0, "running"))], (held) => {
      held.setQueryData(keys.lanes(SEARCH), none);
      held.setQueryData(keys.lanes(SEARCH + 1), none);
    });
    expect(client.getQueryData<Lanes>(keys.lanes(SEARCH))!.fits).toHaveLength(1);
    expect(client.getQueryData<Lanes>(keys.lanes(SEARCH + 1))!.fits).toEqual([]);
  });

  it("of a decision, a problem, remarks or an analysis asks for what shows it", () => {
    const one = { problem_id: PROBLEM, trial_id: 31 };
    expect(marked([entry("analysis", {})]).pace(keys.analyses)).toBe("now");
    expect(marked([entry("decision", one)]).pace(keys.finalists(PROBLEM))).toBe("now");
    expect(marked([entry("problem", one)]).pace(keys.forecasts(PROBLEM))).toBe("now");
    expect(marked([entry("remarks", one)]).pace(keys.trial(31))).toBe("now");
    const all = marked([entry("remarks", { ...one, trial_id: null })]);
    expect([all.pace(keys.everyTrial), all.pace(keys.everyRow)]).toEqual(["now", "now"]);
  });

  it("of a kind that a newer server tells of is passed over", () => {
    const strange = marked(read('[{"id": 9, "at": 1, "kind": "weather", "search_id": 4, "data": {"rain": true}}]'));
    expect(strange.size).toBe(0);
  });
});

/** The browser's stream, in our hands. */
class Stream {
  static all: Stream[] = [];
  onopen?: () => void;
  onerror?: () => void;
  onmessage?: (message: { data: string; lastEventId: string }) => void;
  closed = false;
  constructor(readonly url: string) {
    Stream.all.push(this);
  }
  close() {
    this.closed = true;
  }
  say(entries: Entry[]) {
    this.onmessage?.({ data: JSON.stringify(entries), lastEventId: String(entries[entries.length - 1]!.id) });
  }
}
const seen = (visible: boolean) => {
  vi.spyOn(document, "visibilityState", "get").mockReturnValue(visible ? "visible" : "hidden");
  document.dispatchEvent(new Event("visibilitychange"));
};

describe("the stream", () => {
  beforeEach(() => {
    Stream.all = [];
    vi.stubGlobal("EventSource", Stream);
  });
  const listen = () => {
    const client = new QueryClient();
    const view = renderHook(() => useLedger(), {
      wrapper: ({ children }) => <QueryClientProvider client={client}>{children}</QueryClientProvider>,
    });
    return { client, ...view };
  };

  it("says how it stands, and ends with the page", async () => {
    const { result, unmount } = listen();
    expect([result.current, Stream.all.length]).toEqual(["connecting", 1]);
    Stream.all[0]!.onopen!();
    await waitFor(() => expect(result.current).toBe("open"));
    Stream.all[0]!.onerror!();
    await waitFor(() => expect(result.current).toBe("lost"));
    unmount();
    expect(Stream.all[0]!.closed).toBe(true);
  });

  it("is given back while nobody looks, and goes on after the last entry", async () => {
    listen();
    Stream.all[0]!.say([entry("fit", fit(1, 0, "running"), { id: 57 })]);
    seen(false);
    expect(Stream.all[0]!.closed).toBe(true);
    seen(true);
    expect(Stream.all.map((s) => s.url)).toEqual(["/api/v1/events", "/api/v1/events?after=57"]);
    seen(true);
    expect(Stream.all, "one is enough").toHaveLength(2);
  });

  it("puts entries into an answer that was under way when they came", async () => {
    const { client } = listen();
    client.setQueryData<Happening>(keys.happening(SEARCH), { live: {}, ended: [] }); // shows when entries were applied
    const answer: { come?: (found: Points) => void } = {};
    const asked = client.fetchQuery({
      queryKey: keys.points(SEARCH),
      queryFn: () => new Promise<Points>((resolve) => (answer.come = resolve)),
    });
    Stream.all[0]!.say([entry("trial", trial({ number: 2, id: 3 }))]);
    await waitFor(() => expect(client.getQueryData<Happening>(keys.happening(SEARCH))!.ended).toHaveLength(1));
    answer.come!(points([0.5, 0.6]));
    await asked;
    await waitFor(() => expect(client.getQueryData<Points>(keys.points(SEARCH))!.means).toEqual([0.5, 0.6, 0.85]));
  });
});
