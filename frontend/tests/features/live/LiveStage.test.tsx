/** A search while it runs: what is seen follows the ledger, what is done reaches the server. */
import { fireEvent, screen, waitFor, within } from "@testing-library/react";
import { describe, expect, it } from "vitest";
import recorded from "../../recorded.json";
import type { Curves, Entry, Points, Search, TrialDetail, TrialRow } from "../../../src/api/client";
import {
  No,
  answer,
  asked,
  at,
  button,
  called,
  field,
  on,
  open,
  press,
  streams,
  tell,
  type,
  written,
} from "../../stand";
import { queryClient } from "../../../src/api/client";

type Page = { trials: TrialRow[]; total: number; offset: number };
const page = (search: number) => answer<Page>(`GET /api/v1/searches/${search}/trials?limit=100`);
const searches = () => answer<Search[]>("GET /api/v1/problems/1/searches");
/** The second search as it was while it ran. */
const running = (change: Partial<Search> = {}) =>
  on("GET /problems/1/searches", () =>
    searches().map((s) => (s.id === 2 ? { ...s, state: "running", ended_at: null, seconds_left: 75, ...change } : s)),
  );
/** What the ledger told last of a search. */
const stateOf = (search: number) =>
  (recorded.ledger as Entry[]).filter((e) => e.kind === "search" && e.search_id === search).at(-1)!.data as never;
const entry = (id: number, trial: TrialRow): Entry => ({
  id,
  at: 0,
  kind: "trial",
  search_id: trial.search_id,
  data: trial as never,
});
const detail = answer<TrialDetail>("GET /api/v1/trials/10");
const key = (k: string, target: Element = document.body, more = {}) => fireEvent.keyDown(target, { key: k, ...more });

describe("a search while it is watched", () => {
  it("says where workers are, what idle ones wait for, and how many can be used", async () => {
    running();
    on("GET /searches/2/waiting", () => ({
      ...{
        lanes: [{ lane: 0, machine: "yard-1", waits: "", devices: ["1"] }],
        idle: "the strategy is thinking",
        busy: 0.4,
      },
      ...{ suggested: 1, advice: "1 worker would do as much." },
    }));
    open("/p/1/live?search=2");
    await screen.findByText("Workers that are idle wait: the strategy is thinking. 1 worker would do as much.");
    await waitFor(() => expect(document.querySelector('[data-machine="yard-1"]')).not.toBeNull());
    expect(document.querySelector("[data-device]")!.textContent).toContain("device 1");
  });

  it("shows a trial from its first fold to its end, without asking the server again", async () => {
    running();
    open("/p/1/live?search=2");
    await screen.findByText("Running now");
    await waitFor(() => expect(called("GET", "/searches/2/trials")).toHaveLength(1));
    await screen.findByText("Workers are starting …");
    const made: TrialRow = {
      ...page(2).trials.find((t) => t.state === "ended early")!,
      ...{ id: 99, number: 40, state: "running", ended_at: null, mean: null, scores: [], rung: 1, reason: "" },
    };
    tell([entry(500, made)]);
    const row = await waitFor(
      () => document.querySelector<HTMLElement>('[data-live="40"]') ?? Promise.reject(new Error("40")),
    );
    expect(row.textContent).toContain("0 of 4 folds, rung 2 of 3");
    tell([
      {
        ...entry(501, made),
        kind: "fit",
        data: { ...fit, trial: 40, fold: 0, rung: 1, state: "done", score: 0.2 } as never,
      },
      { ...entry(502, made), kind: "fit", data: { ...fit, trial: 40, fold: 1, rung: 1, state: "running" } as never },
    ]);
    await waitFor(() => expect(row.textContent).toContain("1 of 4 folds"));
    const reason = "rung 2: place 9 of 9; no more than 3 can go on";
    tell([entry(503, { ...made, state: "ended early", ended_at: 9e9, reason })]);
    await waitFor(() => expect(document.querySelector('[data-live="40"]')).toBeNull());
    await screen.findByText(reason);
    expect(called("GET", "/searches/2/trials"), "the ledger told all of it").toHaveLength(1);
  });
  const fit = {
    ...{ attempt: 1, lane: 0, started_at: 1, ended_at: null, seconds: 0, message: "", score: null },
  };

  it("is paused, resumed and stopped; stopping is asked for twice", async () => {
    running();
    on("PUT /searches/2/state", () => searches()[0]);
    open("/p/1/live?search=2");
    await press("Pause");
    expect((await asked("PUT", "/searches/2/state")).body).toEqual({ state: "paused" });
    await press("Stop");
    expect(called("PUT", "/searches/2/state")).toHaveLength(1);
    await press("Keep");
    await press("Stop");
    await press("Stop for good");
    expect((await asked("PUT", "/searches/2/state", 2)).body).toEqual({ state: "stopped" });
    running({ state: "paused" });
    key("p");
    await button("Resume");
  });

  it("shows the server's no to a change, and what halted an engine", async () => {
    running();
    on(
      "PUT /searches/2/workers",
      () => new No(409, { detail: "64 workers at the most.", field: "count", status: 409 }),
    );
    open("/p/1/live?search=2");
    await press("One worker more");
    expect((await asked("PUT", "/searches/2/workers")).body).toEqual({ count: 3 });
    await screen.findByText("64 workers at the most.");
    running({ waits_for: "The database is locked by another program." });
    void queryClient.refetchQueries(); // as the page does every ten seconds: what cannot be written cannot be told
    await screen.findByText(/locked by another program.*goes on by itself/);
    running({ halted: "The disk is full." });
    tell([{ id: 600, at: 0, kind: "search", search_id: 2, data: stateOf(2) }]);
    await screen.findByText("The engine stopped: The disk is full. Mend it and resume.");
    await button("Resume");
  });

  it("changes a budget: only what was typed is sent, an emptied field takes the limit away", async () => {
    running({ budget_minutes: 5 });
    on("PUT /searches/2/budget", () => searches()[0]);
    open("/p/1/live?search=2");
    await press("Budget");
    type(at("Budget: trials"), "40");
    type(at("Budget: minutes"), "");
    await press("Change");
    expect((await asked("PUT", "/searches/2/budget")).body).toEqual({ trials: 40, minutes: null });
    await waitFor(() => expect(document.querySelector(`[aria-label=${JSON.stringify("Budget: trials")}]`)).toBeNull());
  });

  it("tries a configuration by hand, beginning with the best", async () => {
    running();
    on("POST /searches/2/trials", () => searches()[0]);
    open("/p/1/live?search=2");
    await press("Try by hand");
    const text = await field<HTMLTextAreaElement>("Configuration to try");
    expect(text.value).toContain(`rate: ${String(detail.configuration.rate)}`);
    type(text, "rate 0.01");
    expect((await button("Try it")).hasAttribute("disabled"), "a line without a colon is not a setting").toBe(true);
    type(text, "rate: 0.01\nactivation: tanh\nmark: no");
    await press("Try it");
    const { body } = await asked("POST", "/searches/2/trials");
    expect(body.configuration).toEqual({ rate: 0.01, activation: "tanh", mark: false });
    await waitFor(() =>
      expect(document.querySelector(`[aria-label=${JSON.stringify("Configuration to try")}]`)).toBeNull(),
    );
  });

  it("withdraws a trial, and says why that was not possible", async () => {
    running();
    const made = { ...page(2).trials[3]!, id: 98, number: 41, state: "running" as const, ended_at: null };
    on("GET /searches/2/trials", () => ({ ...page(2), trials: [made] }));
    on("PUT /trials/98/state", () => new No(409, { detail: "Trial 41 has ended already.", field: null, status: 409 }));
    open("/p/1/live?search=2");
    await press("Withdraw trial 41");
    expect((await asked("PUT", "/trials/98/state")).body).toEqual({ state: "withdrawn" });
    await screen.findByText("Trial 41 has ended already.");
  });

  it("draws what the workers did and when", async () => {
    open("/p/1/live?search=2");
    await screen.findByText(/of .* × 2 used/);
    await press("everything");
    await waitFor(() => expect(written.length).toBeGreaterThan(0));
  });

  it("tells what early stopping saved, and checks on request whether it was right", async () => {
    let checked = 0;
    const some = [{ trial_id: 12, number: 2, state: "scored", mean: 0.09, error: 0.01, reason: "", won: false }];
    on("GET /searches/2/safety", () => ({
      ...{ checked, wrong: 0, close: 0, running: 0, ended_early: 7, at_most: checked ? 0.53 : null },
      trials: checked ? some : [],
    }));
    on("POST /searches/2/safety", () => {
      checked = 1;
      return searches()[0];
    });
    open("/p/1/live?search=2");
    await screen.findByText(/The work of 21 of 40 full fits not needed/);
    await press("Run 5 trials in full that ended early");
    expect((await asked("POST", "/searches/2/safety")).body).toEqual({ trials: 5 });
    await screen.findByText(/would have won/);
    await screen.findByText(/wrong in at most 53/);
  });

  it("says what will be here when nothing was launched", async () => {
    on("GET /problems/1/searches", () => []);
    const { where } = open("/p/1/live");
    await press("To the space");
    await waitFor(() => expect(where()).toBe("/p/1/space"));
  });

  it("gives its stream back when it is hidden, and asks for what it missed", async () => {
    running();
    open("/p/1/live?search=2");
    await waitFor(() => expect(document.querySelector('[data-light="live"]')).toBeTruthy());
    tell([entry(700, page(2).trials[0]!)]);
    const seen = Object.getOwnPropertyDescriptor(Document.prototype, "visibilityState")!;
    const be = (state: string) => {
      Object.defineProperty(document, "visibilityState", { configurable: true, get: () => state });
      fireEvent(document, new Event("visibilitychange"));
    };
    be("hidden");
    expect(streams()).toEqual([]);
    be("visible");
    expect(streams().map((s) => s.url)).toEqual(["/api/v1/events?after=700"]);
    Object.defineProperty(document, "visibilityState", seen);
    await Promise.resolve(); // the new stream opens
    streams()[0]!.onerror!();
    await waitFor(() => expect(document.querySelector('[data-light="reconnecting"]')).toBeTruthy());
  });
});

describe("on live", () => {
  const search = answer<Search[]>("GET /api/v1/problems/1/searches").find((s) => s.id === 2)!;
  const curves = answer<Curves>("GET /api/v1/searches/2/curves");

  it("rungs count everybody who came, and what became of them", async () => {
    open("/p/1/live?search=2");
    const rungs = await field("Rungs");
    const steps = [...rungs.querySelectorAll<HTMLElement>("[data-rung]")];
    expect(steps.map((s) => s.dataset.rung)).toEqual([...search.stopping.levels].reverse().map(String));
    for (const [i, step] of steps.entries()) {
      const told = [...curves.ladder].reverse()[i]!;
      expect(step.textContent).toContain(`${told.reached} trial`);
      const parts = [...step.querySelectorAll("[title]")].map((p) => Number(p.getAttribute("title")!.split(" ")[0]));
      expect(
        parts.reduce((a, b) => a + b, 0),
        "the bar holds every trial once",
      ).toBe(told.done + told.running);
    }
  });

  it("a population shows members, copies, and each setting over the training", async () => {
    const points = answer<Points>("GET /api/v1/searches/2/points");
    const numbers = [1, 2, 3, 4];
    on("GET /searches/2/curves", () => ({
      ...curves,
      ...{ population: true, levels: [3, 6, 9], numbers, ids: [21, 22, 23, 24], states: numbers.map(() => "scored") },
      ...{ origins: numbers.map(() => "proposed"), reasons: numbers.map(() => ""), flat: numbers.map(() => false) },
      ...{ members: [0, 1, 0, 1], rungs: [0, 0, 1, 1], parents: [null, null, 1, 1], best: [false, false, true, false] },
      ...{ best_iterations: [3, 3, 6, 6], xs: [[3], [3], [6], [6]], ys: [[0.2], [0.1], [0.4], [0.3]], ladder: [] },
    }));
    on("GET /searches/2/points", () => ({
      ...points,
      ...{ numbers, ids: [21, 22, 23, 24], states: numbers.map(() => "scored"), means: [0.2, 0.1, 0.4, 0.3] },
      ...{ origins: numbers.map(() => "proposed"), errors: numbers.map(() => 0.01), seconds: numbers.map(() => 1) },
      ...{ ended_at: numbers, values: { rate: [0.1, 0.01, 0.1, 0.12], pull: [1, 2, 1, 1.2] } },
    }));
    on("GET /trials/23", () => new No(404, { detail: "There is no trial 23.", field: null, status: 404 }));
    const { where } = open("/p/1/live?search=2");
    const drawing = await waitFor(
      () => document.querySelector<HTMLElement>("[data-population]") ?? Promise.reject(new Error()),
    );
    expect(drawing.dataset.population).toBe("2");
    const bars = [...drawing.querySelectorAll("rect")];
    expect(bars).toHaveLength(4);
    expect(
      drawing.querySelectorAll('path[stroke="var(--ember)"]'),
      "member 2 went on as a copy of member 1",
    ).toHaveLength(1);
    await press("pull", drawing);
    within(drawing).getByLabelText("pull of every member over the training");
    fireEvent.click(bars.find((b) => b.textContent!.startsWith("Trial 3"))!);
    await waitFor(() => expect(where()).toContain("trial=23"));
  });
});
