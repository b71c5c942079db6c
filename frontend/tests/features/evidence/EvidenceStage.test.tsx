import { fireEvent, screen, waitFor } from "@testing-library/react";
import { describe, expect, it } from "vitest";
import type { Entry, Search, TrialDetail, TrialRow } from "../../../src/api/client";
import type { Evidence, FaceOff, Spent, Standing, Step } from "../../../src/api/evidence";
import { NOTHING } from "./nothing";
import { No, answer, asked, at, buttons, called, on, open, press, streams, tell, type } from "../../stand";

type Page = { trials: TrialRow[]; total: number; offset: number };
const page = (search: number) => answer<Page>(`GET /api/v1/searches/${search}/trials?limit=100`);
const detail = answer<TrialDetail>("GET /api/v1/trials/10");
const key = (k: string, target: Element = document.body, more = {}) => fireEvent.keyDown(target, { key: k, ...more });

describe("the evidence", () => {
  const rows = () => [...document.querySelectorAll<HTMLElement>("[data-trial]")];
  const begin = async () => {
    const shown = open("/p/1/evidence?search=1&view=trials");
    await waitFor(() => expect(rows()).toHaveLength(9));
    return shown;
  };

  it("lists every trial with its settings, sorted as asked for", async () => {
    await begin();
    const first = called("GET", "/searches/1/trials").at(-1)!;
    expect([first.query.get("sort"), first.query.get("descending")]).toEqual(["score", "true"]);
    expect(rows().map((r) => r.textContent)[0]).toMatch(/0\.\d+ ± 0\.\d+/);
    await press(/^Cost/);
    await waitFor(() => expect(called("GET", "/searches/1/trials").at(-1)!.query.get("sort")).toBe("seconds"));
    await press(/^Cost/);
    await waitFor(() => expect(called("GET", "/searches/1/trials").at(-1)!.query.get("descending")).toBe("false"));
    const header = [...document.querySelectorAll("[role=columnheader]")].find((h) =>
      h.textContent!.startsWith("Cost"),
    )!;
    expect(header.getAttribute("aria-sort")).toBe("ascending");
    expect(buttons(/CSV|JSON Lines|Parquet/).map((b) => b.getAttribute("href"))).toEqual(
      ["csv", "jsonl", "parquet"].map((f) => `/api/v1/searches/1/export/${f}`),
    );
  });

  it("says that it speaks of the score alone where more than that decides", async () => {
    on("GET /problems/1/searches", () =>
      answer<Search[]>("GET /api/v1/problems/1/searches").map((s) => ({
        ...s,
        against: [{ measure: "predict ms", larger_is_better: false }],
      })),
    );
    on("POST /searches/1/evidence", () => NOTHING);
    open("/p/1/evidence?search=1&view=findings");
    const note = await screen.findByRole("note");
    expect(note.textContent).toMatch(/alone: predict ms steers the search and the choice, and is not looked at here/);
    expect(note.querySelector("a")!.getAttribute("href")).toBe("/p/1/live?search=1");
  });

  it("lists all searches of the problem in one table", async () => {
    const { where } = await begin();
    const row = { ...page(1).trials[0]!, search_number: 2, recorded: {}, configuration: { depth: 7 } };
    const early = {
      ...row,
      id: 77,
      number: 5,
      state: "ended early",
      mean: null,
      scores: [0.5, 0.7, null],
      reason: "P(win) 2 %",
    };
    on("GET /problems/1/trials", () => ({ trials: [row, early], total: 2, offset: 0, settings: ["depth", "pull"] }));
    await press("all searches");
    await waitFor(() => expect(where()).toBe("/p/1/evidence?search=1&view=trials&of=all"));
    await waitFor(() => expect(rows()).toHaveLength(2));
    const cells = [...rows()[0]!.querySelectorAll("[role=cell]")].map((c) => c.textContent);
    expect(cells[0]).toBe("2");
    expect(cells.slice(-4)).toEqual(["", String(row.seen), "", ""]); // no "–" for a setting that was off
    expect(rows()[1]!.textContent).toContain("ended early · 0.6000");
    expect(rows()[1]!.querySelector("[title='0.6000 is the mean of the folds so far. P(win) 2 %']")).toBeTruthy();
    await press(/^Search/);
    await waitFor(() => expect(called("GET", "/problems/1/trials").at(-1)!.query.get("sort")).toBe("search"));
  });

  it("filters on the server, and shows at the field what a filter cannot mean", async () => {
    await begin();
    on("GET /searches/1/trials", (call) =>
      call.query.get("where") === "state ="
        ? new No(422, { detail: "Column 8: a value is missing.", field: "where", status: 422 })
        : { ...page(1), trials: [], total: 0 },
    );
    const field = at("Filter trials");
    type(field, "state =");
    expect((await screen.findByText("Column 8: a value is missing.")).dataset.error).toBe("where");
    expect(field.getAttribute("aria-invalid")).toBe("true");
    await press("state = failed");
    await screen.findByText("No trial matches the filter.");
    expect(field.getAttribute("aria-invalid")).toBe("false");
  });

  it("is walked through by keys: down, inspect, shortlist, close", async () => {
    on("PUT /trials/3/remarks", (call) => ({ ...detail, ...call.body }));
    const { where } = await begin();
    const second = rows()[1]!.dataset.trial!;
    const trial = page(1).trials.find((t) => String(t.number) === second)!;
    on(`GET /trials/${trial.id}`, () => ({ ...detail, id: trial.id, number: trial.number, origin: "proposed" }));
    on(`PUT /trials/${trial.id}/remarks`, (call) => ({ ...detail, ...call.body }));
    key("j");
    key("Enter");
    await waitFor(() => expect(where()).toBe(`/p/1/evidence?search=1&view=trials&trial=${trial.id}`));
    await screen.findByText(`Trial ${trial.number}`, { selector: "h2" });
    key("s");
    expect((await asked("PUT", `/trials/${trial.id}/remarks`)).body).toEqual({ shortlisted: true });
    key("Escape");
    await waitFor(() => expect(where()).toBe("/p/1/evidence?search=1&view=trials"));
  });
});

describe("findings", () => {
  const said: Evidence = {
    ...NOTHING,
    trials: 40,
    explained: 0.9,
    findings: [
      {
        code: "crowded end",
        sentence: "The best trials crowd the upper end of depth.",
        names: ["depth"],
        trials: [3, 4],
        lines: [{ name: "depth", before: "depth: 1 .. 8 int", after: "depth: 1 .. 12 int" }],
        requirements: [],
        plan: {},
      },
      {
        code: "flat runs",
        sentence: "Many ran on.",
        names: [],
        trials: [],
        lines: [],
        requirements: [],
        plan: { "early stopping": "fold race", workers: 2 },
      },
      { code: "within noise", sentence: "All alike.", names: [], trials: [], lines: [], requirements: [], plan: {} },
    ],
    noise: { share: 0.3, p_value: 0.01, alike: 2, trials: 9, folds: 5 },
  };
  const begin = async (found: Evidence = said) => {
    on("POST /searches/1/evidence", () => found);
    on("GET /problems/1/spending", () => ({ baseline: 0.5, searches: [] }));
    const shown = open("/p/1/evidence?search=1");
    await waitFor(() => expect(document.querySelector("[data-evidence]")).toBeTruthy());
    return shown;
  };

  it("come first, and show what they would change before Space opens with it", async () => {
    const { where } = await begin();
    expect([...document.querySelectorAll("[data-finding]")].map((e) => (e as HTMLElement).dataset.finding)).toEqual(
      said.findings.map((f) => f.code),
    );
    expect(document.querySelector("[data-noise]")!.textContent).toContain("2 other trials of 8");
    expect(buttons(/^Apply …/)).toHaveLength(2);
    await press("Apply all 2 …");
    expect((await screen.findByText("depth: 1 .. 12 int")).closest("[data-change]")).toBeTruthy();
    expect(document.querySelector("[data-change=workers]")!.textContent).toContain("2");
    await press("Open in Space");
    await waitFor(() => expect(where()).toBe("/p/1/space?search=1"));
  });

  it("pick the trials behind them, in every view", async () => {
    const { where } = await begin();
    await press("2 trials behind it");
    await waitFor(() => expect(where()).toContain("view=lanes"));
    expect(where()).toContain("picked=3%2C4");
    await waitFor(() => expect(document.querySelector("[data-kept]")?.textContent).toContain("2 of"));
    await press("trials");
    await waitFor(() => expect(called("GET", "/searches/1/trials").at(-1)!.query.get("among")).toBe("3,4"));
    await press("let go");
    await waitFor(() => expect(called("GET", "/searches/1/trials").at(-1)!.query.get("among")).toBeNull());
  });

  it("say so where there are none, and why they failed", async () => {
    await begin(NOTHING);
    expect(document.querySelector("[data-findings=none]")!.textContent).toContain("Nothing is found");
    on("POST /searches/1/evidence", () => ({ ...NOTHING, state: "failed", message: "The process was killed." }));
  });
});

describe("face-offs", () => {
  const line = { at: [1, 2], median: [0.5, 0.6], low: [0.4, 0.5], high: [0.6, 0.7] };
  const standing = (strategy: string, mean: number, beats: (number | null)[]): Standing => ({
    strategy,
    early_stopping: "none",
    workers: 2,
    done: 6,
    by_trials: line,
    by_seconds: line,
    finals: [mean],
    mean,
    error: 0.01,
    spread: 0.02,
    beats,
    to_level: null,
    grounded: 0.25,
  });
  const faceoff: FaceOff = {
    id: 9,
    problem_id: 1,
    search_id: 1,
    state: "running",
    message: "",
    mode: "fitted",
    budget: "trials",
    amount: 30,
    repeats: 6,
    seed: 1,
    created_at: 0,
    done: 7,
    planned: 12,
    running: 4,
    level: 0.5,
    standings: [standing("Random", 0.6, [null, 0.25]), standing("Gaussian process", 0.7, [0.75, null])],
    sentence: "Gaussian process is ahead of all others by more than luck.",
    baseline: 0.4,
  };

  it("are begun with what is said, show how they stand, and can be paused", async () => {
    on("GET /problems/1/face-offs", () => [faceoff]);
    on("POST /problems/1/face-offs", () => faceoff);
    on("PUT /face-offs/9/state", () => ({ ...faceoff, state: "paused" }));
    open("/p/1/evidence?search=1&view=face-off");
    await screen.findByText(/more than luck/);
    expect([...document.querySelectorAll("[data-standing]")].map((row) => row.textContent)).toEqual([
      "1Random–60.600 ± 0.0100.020not by half25 %2: 25 %",
      "2Gaussian process–60.700 ± 0.0100.020not by half25 %1: 75 %",
    ]);
    await press("Pause");
    expect((await asked("PUT", "/face-offs/9/state")).body).toEqual({ state: "paused" });
    await press("+ another");
    await press("replayed");
    await press("Set against each other");
    const { body } = await asked("POST", "/problems/1/face-offs");
    expect(body).toMatchObject({ search: 1, mode: "replayed", budget: "trials", amount: 30, repeats: 6 });
    expect((body.entrants as unknown[]).length).toBe(3);
  });

  it("stand there also where no search has been run: they can be begun over a plan", async () => {
    on("GET /problems/1/searches", () => []);
    on("GET /problems/1/face-offs", () => [{ ...faceoff, search_id: null }]);
    open("/p/1/evidence");
    await screen.findByText("No trials yet");
    await screen.findByText(/more than luck/);
    expect(document.querySelectorAll("[data-standing]")).toHaveLength(2);
  });

  it("are refused in a sentence", async () => {
    on("GET /problems/1/face-offs", () => []);
    on(
      "POST /problems/1/face-offs",
      () => new No(422, { detail: "Two entrants are the same.", field: "entrants", status: 422 }),
    );
    open("/p/1/evidence?search=1&view=face-off");
    await screen.findByText(/Nothing was set against each other yet/);
    await press("Set against each other");
    expect((await screen.findByText("Two entrants are the same.")).dataset.error).toBe("entrants");
  });
});

describe("the other views", () => {
  const line = { mean: [0.4, 0.6], low: [0.3, 0.5], high: [0.5, 0.7] };
  const surface = {
    across: { name: "depth", options: false, positions: [0, 1], values: [1, 8] },
    down: { name: "min_leaf", options: false, positions: [0, 1], values: [1, 40] },
    mean: [
      [0.4, 0.5],
      [0.6, 0.7],
    ],
    deviation: [
      [0.01, 0.02],
      [0.03, 0.04],
    ],
    explained: 0.83,
    covered: 0.78,
    points: [{ id: 3, at: [0.5, 0.5], score: 0.6 }],
  };
  const step = (name: string, measured: number | null): Step => ({
    changed: [{ name, before: 1, after: 2 }],
    configuration: {},
    score: 0.6,
    gain: 0.1,
    error: 0.02,
    measured,
    measured_error: null,
    trial_id: measured === null ? null : 3,
  });
  const names = () => {
    const [search] = answer<{ parameters: { name: string; kind: string }[] }[]>(
      "GET /api/v1/problems/1/searches",
    ).slice(-1);
    return search!.parameters.filter((p) => p.kind !== "fixed").map((p) => p.name);
  };
  const told = (): Evidence => ({
    ...NOTHING,
    trials: 30,
    explained: 0.83,
    curves: names().map((name) => ({
      name,
      options: false,
      positions: [0, 1],
      values: [1, 8],
      average: line,
      near: line,
    })),
    path: [step("depth", null), step("min_leaf", 0.61)],
    rungs: [{ rung: 0, trials: 9, rank: 0.8 }],
    surface,
  });
  const look = (view: string) => {
    on("POST /searches/1/evidence", told);
    on("GET /problems/1/spending", () => ({
      baseline: 0.5,
      searches: [spent(1, 0.7), spent(2, 0.8)],
    }));
    return open(`/p/1/evidence?search=1&view=${view}`);
  };
  const spent = (number: number, best: number): Spent => ({
    search_id: number,
    number,
    strategy: "Random",
    early_stopping: "fold race",
    workers: 2,
    best,
    trials: 9,
    fits: 40,
    seconds: 61,
    near_after: number === 1 ? null : [4, 20, 30],
    far_share: 0.5,
    blind_share: 0.1,
    rises: [
      [1, 5, 5, 0.5],
      [9, 40, 61, best],
    ],
  });

  it("lanes keep what a typed filter keeps, and all again", async () => {
    const { where } = look("lanes");
    await waitFor(() => expect(document.querySelector("[data-kept]")).toBeTruthy());
    const many = Number(document.querySelector<HTMLElement>("[data-kept]")!.dataset.kept);
    expect(document.querySelectorAll("[data-brush]").length).toBe(names().length);
    await waitFor(() => expect(document.querySelectorAll("[data-curve]").length).toBe(names().length));
    type(at("Filter trials"), `origin = baseline`);
    await waitFor(() =>
      expect(Number(document.querySelector<HTMLElement>("[data-kept]")!.dataset.kept)).toBeLessThan(many),
    );
    await waitFor(() => expect(where()).toContain("where=origin"));
    await press("Keep all again");
    await waitFor(() => expect(Number(document.querySelector<HTMLElement>("[data-kept]")!.dataset.kept)).toBe(many));
    await press("near the best");
    await press("cost");
  });

  it("a surface is drawn over the strongest pair, and over any other that is asked for", async () => {
    on("POST /searches/1/surface", () => ({ state: "done", message: "", surface }));
    look("surface");
    await waitFor(() => expect(document.querySelector("[data-held-out]")?.textContent).toContain("83 %"));
    expect(document.querySelectorAll("[data-read]")).toHaveLength(2);
    expect(called("POST", "/searches/1/surface")).toHaveLength(0);
    await press("averaged");
    const { body } = await asked("POST", "/searches/1/surface");
    expect(body).toEqual({ across: "depth", down: "min_leaf", others: "averaged", by: null });
  });

  it("a surface is drawn for each option of a third setting, all on one scale, each with its own trials", async () => {
    const panel = (value: boolean, more: number) => ({
      value,
      mean: surface.mean.map((row) => row.map((v) => v + more)),
      deviation: surface.deviation,
    });
    const points = [
      { id: 3, at: [0.5, 0.5], score: 0.6, panel: 0 },
      { id: 4, at: [0.2, 0.5], score: 0.9, panel: 1 },
      { id: 5, at: [0.3, 0.5], score: 0.8, panel: 1 },
    ];
    const panels = [panel(false, 0), panel(true, 1)];
    on("POST /searches/1/surface", ({ body }) => ({
      ...{ state: "done", message: "" },
      surface: { ...surface, points, by: body.by, panels: body.by ? panels : [] },
    }));
    on("GET /problems/1/searches", () =>
      answer<Search[]>("GET /api/v1/problems/1/searches").map((s) => ({
        ...s,
        parameters: ["depth", "min_leaf", "balance"].map((name) => ({ name, kind: "range" })),
      })),
    );
    look("surface");
    await waitFor(() => expect(document.querySelectorAll("[data-read]")).toHaveLength(2));
    fireEvent.change(screen.getByLabelText("for each"), { target: { value: "balance" } });
    expect((await asked("POST", "/searches/1/surface")).body.by).toBe("balance");
    const shown = await waitFor(() => {
      const all = [...document.querySelectorAll("[data-panel]")];
      if (all.length !== 2) throw new Error(`${all.length} panels`);
      return all;
    });
    expect(shown.map((one) => one.querySelectorAll("svg g.clickable").length)).toEqual([1, 2]);
    expect(shown.map((one) => one.querySelector("[data-read]")!.textContent)).toEqual(
      Array(2).fill("0.4 to 1.7, light is good"),
    );
  });

  it("the way to the best is measured where no trial has been, as a search that one then watches", async () => {
    on("POST /searches/1/path", () => answer("GET /api/v1/searches/1"));
    const { where } = look("findings");
    await waitFor(() => expect(document.querySelectorAll("[data-step]")).toHaveLength(2));
    expect(document.querySelector("[data-rung='0']")!.textContent).toContain("0.80");
    await press("Measure the other 1");
    await asked("POST", "/searches/1/path");
    await waitFor(() => expect(where()).toContain("/live"));
  });

  it("searches stand side by side, each drawn or not", async () => {
    look("findings");
    await waitFor(() => expect(document.querySelectorAll("[data-spent]")).toHaveLength(2));
    expect(document.querySelector("[data-spent='1']")!.textContent).toContain("never");
    expect(document.querySelector("[data-spent='2']")!.textContent).toContain("4 trials, 30 s");
    expect(document.querySelectorAll("[data-line]")).toHaveLength(2);
    fireEvent.click(at("Draw search 2"));
    await waitFor(() => expect(document.querySelectorAll("[data-line]")).toHaveLength(1));
    await press("seconds");
  });

  it("columns are chosen, and trials set side by side from the table", async () => {
    const { where } = look("trials");
    await waitFor(() => expect(document.querySelectorAll("[data-trial]").length).toBeGreaterThan(3));
    const headers = () => [...document.querySelectorAll("[role=columnheader]")].map((h) => h.textContent);
    expect(headers()).toContain("Cost");
    await press("Columns …");
    fireEvent.click(at("Show Cost"));
    await waitFor(() => expect(headers()).not.toContain("Cost"));
    await press("As at first");
    await waitFor(() => expect(headers()).toContain("Cost"));
    const two = page(1).trials.slice(0, 2);
    for (const one of two) on(`GET /trials/${one.id}`, () => ({ ...detail, id: one.id, number: one.number }));
    key("Escape", document.querySelector("[role=dialog]") ?? document.body);
    for (const box of [...document.querySelectorAll<HTMLElement>("input[aria-label^='Compare trial']")].slice(0, 2))
      fireEvent.click(box);
    await waitFor(() => expect(where()).toContain("compare="));
    await waitFor(() => expect(document.querySelector("[data-compare='2']")).toBeTruthy());
  });
});

it("hears of trials that end while the searches stand side by side, and of the end of an analysis", async () => {
  on("GET /problems/1/spending", () => ({ baseline: 0.5, searches: [] }));
  let state = "running";
  on("POST /searches/1/evidence", () => ({ ...NOTHING, state }));
  open("/p/1/evidence?search=1");
  await screen.findByText(/Listening to the trials/);
  await waitFor(() => expect(streams().length).toBeGreaterThan(0));
  await waitFor(() => expect(called("GET", "/problems/1/spending").length).toBe(1));
  const trial = { ...page(1).trials[0]!, ended_at: 5, state: "scored" };
  state = "done";
  tell([
    { id: 900, at: 1, search_id: 1, kind: "trial", data: trial },
    {
      id: 901,
      at: 1,
      search_id: null,
      kind: "analysis",
      data: { problem_id: 1, analysis: 1, what: "what trials say", state: "done" },
    },
  ] as unknown as Entry[]);
  await waitFor(() => expect(document.querySelector("[data-evidence=done]")).toBeTruthy());
});
