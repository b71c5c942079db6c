/** How often the page asks again, by a clock that is moved by hand. */
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import { QueryClient } from "@tanstack/react-query";
import type { Entry, Search } from "../../src/api/client";
import { apply, read } from "../../src/api/events";
import { keys } from "../../src/api/keys";
import { PACE, staleness } from "../../src/api/staleness";
import recorded from "../recorded.json";

beforeEach(() => {
  vi.useFakeTimers();
  vi.stubGlobal("window", globalThis);
});
afterEach(() => {
  vi.useRealTimers();
  vi.unstubAllGlobals();
});

describe("what is stale", () => {
  it("is asked for once in its pace, however often it is marked, and at the end once more", () => {
    const asked: string[] = [];
    const stale = staleness((key) => asked.push(JSON.stringify(key)));
    for (let ms = 0; ms < 60_000; ms += 10) {
      stale.mark(["searches", 1], "slowly");
      vi.advanceTimersByTime(10);
    }
    expect(asked.length).toBeLessThanOrEqual(60_000 / PACE.slowly + 1);
    expect(asked.length).toBeGreaterThan(8);
    const before = asked.length;
    vi.advanceTimersByTime(60_000);
    expect(asked.length).toBe(before + 1);
  });
  it("does not wait where somebody does: a later, more urgent mark comes first", () => {
    const asked: unknown[] = [];
    const stale = staleness((key) => asked.push(key));
    stale.mark(["trial", 1], "now");
    vi.advanceTimersByTime(PACE.now);
    stale.mark(["trial", 1], "slowly");
    stale.mark(["trial", 1], "now");
    vi.advanceTimersByTime(PACE.now);
    expect(asked).toHaveLength(2);
    stale.mark(["trial", 1], "never");
    vi.advanceTimersByTime(60_000);
    expect(asked).toHaveLength(2);
  });
  it("is not asked for any more once the page has stopped listening", () => {
    const asked: unknown[] = [];
    const stale = staleness((key) => asked.push(key));
    stale.mark(["trial", 1], "now");
    stale.stop();
    vi.advanceTimersByTime(60_000);
    expect(asked).toEqual([]);
  });
});

describe("the ledger of a busy search", () => {
  const entries = recorded.ledger as Entry[];
  it("costs less than a question a second", () => {
    const client = new QueryClient();
    client.setQueryData(
      keys.searches(1),
      (recorded as Record<string, unknown>)["GET /api/v1/problems/1/searches"] as Search[],
    );
    client.setQueryData(keys.problem(1), recorded["GET /api/v1/problems/1"]);
    const asked: string[] = [];
    const stale = staleness((key) => asked.push(String(key[0])));
    // What a Live page shows; rows and trials are asked for by other pages.
    const shown = ["searches", "problem", "problems", "workspace", "lanes", "points", "happening", "curves", "safety"];
    const busy = entries.filter(
      (e) => e.search_id === 2 && (e.kind === "fit" || e.kind === "trial" || e.kind === "points"),
    );
    const running = entries.find((e) => e.kind === "search" && e.search_id === 2 && e.data.state === "running")!;
    client.setQueryData<Search[]>(keys.searches(1), (held) =>
      held!.map((search) => (search.id === 2 ? { ...search, state: "running" } : search)),
    );
    for (let second = 0; second < 60; second++) {
      if (second % 2 === 0) apply(client, stale, [running]); // it says how long it has run
      for (const entry of busy.slice(0, 50)) {
        apply(client, stale, [entry]);
        vi.advanceTimersByTime(20);
      }
    }
    expect(asked.filter((kind) => shown.includes(kind)).length).toBeLessThanOrEqual(60);
    expect(asked).toContain("workspace");
  });
  it("is heard at once when a search changes its state", () => {
    const client = new QueryClient();
    client.setQueryData(
      keys.searches(1),
      (recorded as Record<string, unknown>)["GET /api/v1/problems/1/searches"] as Search[],
    );
    const asked: unknown[] = [];
    const stale = staleness((key) => asked.push(key));
    const running = entries.find((e) => e.kind === "search" && e.search_id === 2 && e.data.state === "running")!;
    apply(client, stale, [running]); // it was finished, for all that the page knew
    vi.advanceTimersByTime(PACE.now);
    expect(asked).toContainEqual(keys.searches(1));
    expect(asked).toContainEqual(keys.workspace);
    const before = asked.length;
    apply(client, stale, [running]);
    vi.advanceTimersByTime(PACE.soon);
    expect(asked).toHaveLength(before);
  });
  it("ends a search with its last counts, not before them", () => {
    const client = new QueryClient();
    client.setQueryData(keys.searches(1), [{ id: 2, state: "running" }] as Search[]);
    const asked: unknown[] = [];
    const end = entries.find((e) => e.kind === "search" && e.search_id === 2 && e.data.state === "finished")!;
    apply(
      client,
      staleness((key) => asked.push(key)),
      [end],
    );
    expect(client.getQueryData<Search[]>(keys.searches(1))![0]!.state).toBe("running");
    vi.advanceTimersByTime(PACE.now);
    expect(asked).toContainEqual(keys.searches(1));
  });
  it("is read past what a newer server tells of", () => {
    const client = new QueryClient();
    client.setQueryData(keys.searches(1), [{ id: 2, state: "running" }] as Search[]);
    const stranger = { id: 9, at: 1, search_id: 2, kind: "weather", data: { rain: true } };
    const first = entries.find((e) => e.kind === "search" && e.search_id === 2)!;
    const search = { ...first, data: { ...first.data, state: "paused" } };
    const marked: unknown[] = [];
    apply(
      client,
      staleness((key) => marked.push(key)),
      read(JSON.stringify([stranger, search])),
    );
    expect(client.getQueryData<Search[]>(keys.searches(1))![0]!.state).toBe("paused");
  });
});
