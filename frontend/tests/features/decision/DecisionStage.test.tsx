/** Finalists are weighed, looked into, signed. */
import { fireEvent, screen, waitFor } from "@testing-library/react";
import { describe, expect, it } from "vitest";
import type { Search } from "../../../src/api/client";
import type { Decision, Diagnostics, Finalists, Honest } from "../../../src/api/decisions";
import { No, answer, answers, asked, at, button, called, field, on, open, press, type } from "../../stand";

const found = answer<Finalists>("GET /api/v1/problems/1/finalists");
const signed = answer<Decision>("signed decision");
const leader = found.finalists[0]!;
const second = found.finalists[1]!;
const done: Honest = {
  ...{ id: 1, kind: "honest", state: "done", message: "", created_at: 1, ended_at: 2 },
  ...{
    raw: 0.31,
    score: 0.27,
    low: 0.19,
    high: 0.35,
    wins: [[leader.trial.id, 0.62]],
    metrics: [],
    rounds: 200,
    trials: 12,
  },
  ...{ without_predictions: 2, contenders: 5, best: leader.trial.id },
  places: [
    { trial: leader.trial.id, raw: 0.31, score: 0.27, low: 0.19, high: 0.35 },
    { trial: second.trial.id, raw: 0.3, score: 0.28, low: 0.18, high: 0.34 },
  ],
};
const key = (k: string, target: Element = document.body, more = {}) => fireEvent.keyDown(target, { key: k, ...more });
const row = (id: number) => document.querySelector<HTMLElement>(`[data-finalist="${id}"]`)!;
const begin = async (query = "") => {
  on("POST /problems/1/honest-score", () => done);
  const shown = open(`/p/1/decision${query}`);
  await screen.findByText(/^Finalists by/);
  return shown;
};

describe("the decision", () => {
  it("lays finalists out fold by fold against the leader, and says what to expect", async () => {
    await begin();
    await waitFor(() => expect(row(leader.trial.id)).toBeTruthy());
    expect(row(leader.trial.id).textContent).toContain("the leader");
    expect(row(second.trial.id).textContent).toContain(second.comparison!.words);
    const folds = row(leader.trial.id).querySelectorAll('[title^="fold "]');
    expect([...folds].map((f) => f.getAttribute("title"))).toHaveLength(4);
    const expectation = await waitFor(() => document.querySelector<HTMLElement>('[data-honest="done"]')!);
    expect(expectation.textContent).toMatch(/Of 12, .+ looks like 0\.31\d*; expect 0\.27/);
    expect(expectation.textContent, "0.31 - 0.27").toContain("About 0.040 of its score is luck");
    expect(expectation.textContent).toContain("62");
    expect(expectation.textContent).toContain("2 trials kept no predictions");
    fireEvent.click(row(second.trial.id));
    await waitFor(() => expect(expectation.textContent).toMatch(/looks like 0\.30\d*; expect 0\.28/));
    expect(expectation.textContent).toContain("in 0 % of the draws");
  });

  it("signs what a rule chose, with the rule's reason unless another is given", async () => {
    on("POST /problems/1/decisions", () => signed);
    await begin();
    await press(/^One standard error/);
    expect((await button("Sign this choice")).hasAttribute("disabled"), "who signs?").toBe(true);
    type(at("Signed by"), "Ada");
    await press("Sign this choice");
    const said = found.suggestions.find((s) => s.rule === "one standard error")!;
    expect((await asked("POST", "/problems/1/decisions")).body).toMatchObject({
      ...{ trial_id: said.trial_id, rule: "one standard error", reason: "", signer: "Ada" },
      weighing: { top: 10, cost: "fit seconds" },
    });
    on("GET /decisions", () => answers["decisions after signing"]);
    on("GET /decisions/1", () => signed);
  });

  it("signs by hand what no rule chose, and shows the server's no", async () => {
    on("POST /problems/1/decisions", () => new No(409, { detail: "Trial 9 was withdrawn.", field: null, status: 409 }));
    await begin();
    await waitFor(() => expect(row(second.trial.id)).toBeTruthy());
    fireEvent.click(row(second.trial.id));
    type(at("Signed by"), "Bo");
    await screen.findByText(/^It is worse than the leader/);
    expect((await button("Sign this choice")).hasAttribute("disabled"), "why?").toBe(true);
    type(at("Reason"), "Smaller, and as good.");
    await press("Sign this choice");
    expect((await asked("POST", "/problems/1/decisions")).body).toMatchObject({
      ...{ trial_id: second.trial.id, rule: "by hand", reason: "Smaller, and as good.", signer: "Bo" },
    });
    await screen.findByText("Trial 9 was withdrawn.");
    expect((await button("Sign this choice")).hasAttribute("disabled")).toBe(false);
    fireEvent.click(row(leader.trial.id));
    expect((at("Signed by") as HTMLInputElement).value, "kept for the next time").toBe("Bo");
  });

  it("is about one finalist: a click on its name chooses it, inspects it and names it where one signs", async () => {
    const { where } = await begin();
    await waitFor(() => expect(row(second.trial.id)).toBeTruthy());
    fireEvent.click(row(second.trial.id).querySelector("button")!);
    await waitFor(() => expect(where()).toContain(`trial=${second.trial.id}`));
    const box = () => document.querySelector("[data-choice]")!;
    expect(box().getAttribute("data-choice")).toBe(String(second.trial.id));
    expect(box().textContent).toContain("behind the leader");
    expect(row(second.trial.id).getAttribute("aria-selected")).toBe("true");
    key("k");
    await waitFor(() => expect(where(), "the inspector follows").toContain(`trial=${leader.trial.id}`));
    expect(box().getAttribute("data-choice")).toBe(String(leader.trial.id));
    expect(box().textContent, "nobody is ahead").not.toContain("behind");
  });

  it("waits for a holdout that is being opened", async () => {
    on("GET /problems/1/holdout", () => [{ ...done, kind: "holdout", state: "running", trial_id: leader.trial.id }]);
    await begin();
    type(at("Signed by"), "Ada");
    await screen.findByText(/Before signing: the holdout, which is being opened/);
    expect((await button("Sign this choice")).hasAttribute("disabled")).toBe(true);
  });

  it("shows what is signed and hands over its files", async () => {
    on("GET /decisions", () => answers["decisions after signing"]);
    on("GET /decisions/1", () => answers["GET /api/v1/decisions/1"]);
    const { where } = await begin();
    await screen.findByText(/By the rule “highest mean”, signed Ada on/);
    await press("Take it away");
    await waitFor(() => expect(where()).toContain("view=take+away"));
    const files = await field("Files to take away");
    const ready = signed.files.filter((f) => f.state === "ready");
    expect([...files.querySelectorAll("a")].map((a) => a.getAttribute("href"))).toEqual(
      ready.map((f) => `/api/v1/decisions/1/files/${f.name}`),
    );
    expect(document.body.textContent).toContain(signed.fingerprint);
    fireEvent.click(row(second.trial.id) ?? (await button("finalists")));
    await press("finalists");
    await waitFor(() => expect(row(second.trial.id)).toBeTruthy());
    fireEvent.click(row(second.trial.id));
    await button("Sign this one instead");
  });

  it("weighs by a limit that stands in the address", async () => {
    const { where } = await begin();
    type(await field("Measure with a limit"), "ROC AUC");
    const limit = await field("Limit on ROC AUC");
    type(limit, "0.7");
    key("Enter", limit);
    await waitFor(() => expect(where()).toContain("limit_on=ROC+AUC&limit=0.7"));
    const query = (await asked("GET", "/problems/1/finalists", 2)).query;
    expect([query.get("limit_on"), query.get("limit")]).toEqual(["ROC AUC", "0.7"]);
    on("GET /problems/1/finalists", () => ({ ...found, leader: null, admitted: 0, suggestions: [] }));
    type(limit, "0.99");
    fireEvent.blur(limit);
    await screen.findByText("No trial keeps the limit. Loosen it, or search with it in mind.");
  });

  it("leads back from a weighing that the server refuses", async () => {
    on("GET /problems/1/finalists", (call) =>
      call.query.get("cost") === "fun"
        ? new No(422, { detail: "fun is no measure.", field: "cost", status: 422 })
        : found,
    );
    open("/p/1/decision?cost=fun");
    await screen.findByText(/fun is no measure/);
    await press("Weigh them as usual");
    await screen.findByText(/^Finalists by/);
  });

  it("opens the holdout once, on a second thought only, and warns ever after", async () => {
    let looks: unknown[] = [];
    on("GET /problems/1/holdout", () => looks);
    on("POST /problems/1/holdout", () => {
      const score = { train: 0.9, holdout: 0.26, low: 0.2, high: 0.33 };
      const look = {
        ...{
          id: 3,
          kind: "holdout",
          state: "done",
          message: "",
          created_at: 1,
          ended_at: 2,
          trial_id: leader.trial.id,
        },
        ...{ trial_name: "the baseline", opener: "Ada", nth: 1, rows: 180, folds: 0.31, folds_error: 0.04 },
        ...{ chosen: score, baseline: null, verdict: "It holds." },
      };
      looks = [look];
      return looks;
    });
    await begin("?view=holdout");
    await screen.findByText("Sealed");
    await press(/^Open the holdout for/);
    await press("Leave it sealed");
    expect(called("POST", "/problems/1/holdout")).toEqual([]);
    await press(/^Open the holdout for/);
    type(await field("Opened by"), "Ada");
    await press("Open it");
    expect((await asked("POST", "/problems/1/holdout")).body).toEqual({
      ...{ trial_id: leader.trial.id, opener: "Ada", again: false },
    });
    await screen.findByText("Opened once");
    await screen.findByText("It holds.");
    await press(/^Open it again for/);
    await screen.findByText(/It was opened once before/);
    await press("Open it all the same");
    expect((await asked("POST", "/problems/1/holdout", 2)).body.again).toBe(true);
  });

  it("re-judges the best on fresh folds, as often as asked", async () => {
    on("POST /problems/1/rejudgings", () => answer<Search[]>("GET /api/v1/problems/1/searches")[0]);
    await begin();
    const repeats = await field("Repeats");
    type(repeats, "99");
    expect((repeats as HTMLInputElement).value, "as it was typed").toBe("99");
    await screen.findByText("Repeats: a whole number, written out from 1 to 50");
    expect((await button(/^Re-judge the best/)).hasAttribute("disabled")).toBe(true);
    type(repeats, "2");
    await press(/^Re-judge the best/);
    const wanted = found.finalists.filter((f) => f.admitted && !f.is_baseline).slice(0, 5);
    expect((await asked("POST", "/problems/1/rejudgings")).body).toEqual({
      ...{ trials: wanted.map((f) => f.trial.id), repeats: 2 },
    });
  });

  it("looks at a finalist against the baseline by a key, and draws its curves", async () => {
    on(`POST /trials/${leader.trial.id}/importance`, () => ({ ...done, kind: "importance", columns: [] }));
    const { where } = await begin();
    key("b");
    await waitFor(() => expect(where()).toContain("view=against+the+baseline"));
    await asked("GET", `/trials/${leader.trial.id}/diagnostics`);
    await waitFor(() => expect(document.querySelectorAll("svg[role=img]").length).toBeGreaterThan(1));
  });

  it("says what will stand here while nothing is scored", async () => {
    on("GET /problems/1/finalists", () => ({ ...found, finalists: [], suggestions: [], scored: 0, leader: null }));
    open("/p/1/decision");
    await screen.findByText("Nothing to decide yet");
  });
});

describe("on the decision", () => {
  const begin = async (view: string) => {
    on("POST /problems/1/honest-score", () => new No(409, { detail: "Too few trials.", field: null, status: 409 }));
    const page = open(`/p/1/decision?view=${view}`);
    await screen.findByText(/^Finalists by/);
    return page;
  };

  it("a trade-off puts finalists on two measures, and a click chooses one", async () => {
    const beside = found.finalists.map((f, i) => ({ ...f, beside: 0.2 + i / 10 }));
    const front = [beside[0]!.trial.id, beside[2]!.trial.id];
    on("GET /problems/1/finalists", (call) =>
      call.query.get("beside") ? { ...found, finalists: beside, front } : found,
    );
    const { where } = await begin("trade-off");
    type(at("Second measure"), "fit seconds");
    await waitFor(() => expect(where()).toContain("beside=fit+seconds"));
    const dots = await waitFor(() => {
      const all = document.querySelectorAll<SVGCircleElement>("[data-dot]");
      if (all.length !== beside.length) throw new Error(`${all.length} dots`);
      return all;
    });
    await screen.findByText(/2 trials stand on the front/);
    const places = [...dots].map((d) => Number(d.getAttribute("cx")));
    expect(places.slice(1, -1), "costlier is further right").toEqual([...places.slice(1, -1)].sort((a, b) => a - b));
    const second = beside[2]!;
    fireEvent.click(document.querySelector(`[data-dot="${second.trial.id}"]`)!);
    await screen.findByText(`trial ${second.trial.number} of search ${second.search_number}`, { selector: "h2" });
  });

  it("a threshold is chosen on all curves, and what it costs is counted", async () => {
    const d = answer<Diagnostics>(`GET /api/v1/trials/${leader.trial.id}/diagnostics`);
    const cuts = d.trial.cuts!;
    await begin("against+the+baseline");
    const slider = await field(/Call it/);
    const placeAt = (threshold: number) => {
      let place = 0;
      cuts.threshold.forEach((t, i) => {
        if (t !== null && t >= threshold) place = i;
      });
      return place;
    };
    for (const threshold of [0.9, 0.3, 0.05]) {
      fireEvent.change(slider, { target: { value: String(threshold) } });
      const shown = document.body.textContent!;
      expect(shown).toContain(`from ${threshold.toFixed(3)} on`);
      expect(shown, `hits at ${threshold}`).toContain(String(cuts.hits[placeAt(threshold)]!));
      expect(shown, `false alarms at ${threshold}`).toContain(String(cuts.false_alarms[placeAt(threshold)]!));
    }
    const f1 = cuts.threshold.map(
      (_, i) => (2 * cuts.hits[i]!) / Math.max(cuts.hits[i]! + cuts.false_alarms[i]! + cuts.positives, 1),
    );
    const best = cuts.threshold[f1.indexOf(Math.max(...f1))]!;
    await press("Best F1");
    expect(Number((slider as HTMLInputElement).value)).toBeCloseTo(best, 2);
    const table = at("By every metric");
    expect(table.querySelectorAll("tbody tr")).toHaveLength(d.metrics.length);
  });

  it("columns are shuffled on request only, and a failure says why", async () => {
    const path = `/trials/${leader.trial.id}/importance`;
    const state = {
      id: 4,
      kind: "importance",
      state: "failed",
      message: "The disk is full.",
      created_at: 1,
      ended_at: 2,
    };
    on(`POST ${path}`, () => ({ ...state, columns: [] }));
    await begin("against+the+baseline");
    const measure = await button("Measure the columns");
    expect(called("POST", path)).toEqual([]);
    fireEvent.click(measure);
    await screen.findByText("The disk is full.");
  });

  it("an honest score that cannot be had does not stand in the way of a decision", async () => {
    await begin("finalists");
    await screen.findByText("Too few trials.");
    type(at("Signed by"), "Ada");
    expect((await button("Sign this choice")).hasAttribute("disabled")).toBe(false);
  });
});

describe("where several metrics decide", () => {
  const metric = (value: number) => ({
    ...{ measure: "predict ms", value, by_fold: [value] },
    comparison: { difference: 2, better: 0.1, same: 0.2, worse: 0.7 },
  });
  const several = (values: number[]): Finalists => ({
    ...found,
    decides: [
      { key: "average precision", larger_is_better: true },
      { key: "predict ms", larger_is_better: false },
    ],
    beside: "predict ms",
    front: [second.trial.id, leader.trial.id],
    finalists: found.finalists.map((f, i) => ({ ...f, metrics: [metric(values[i] ?? 50)], beside: values[i] ?? 50 })),
    suggestions: [
      { rule: "knee", label: "knee of the front", trial_id: second.trial.id, reason: "It lies furthest out." },
      ...found.suggestions,
    ],
  });

  it("the knee is advised first, each metric is compared, and weights are asked for as they are set", async () => {
    on("GET /problems/1/finalists", () => several([30, 10]));
    await begin("?view=finalists");
    expect(screen.getByText(/^Finalists by/).textContent).toMatch(/against predict ms ↓$/);
    expect((await button(/^Knee of the front/)).getAttribute("aria-pressed")).toBe("true");
    await waitFor(() => expect(row(second.trial.id).textContent).toContain("predict ms 10"));
    expect(document.querySelector("[data-choice]")!.textContent).toContain("predict ms 10");
    await press("trade-off");
    fireEvent.change(await screen.findByLabelText("Weight of the score"), { target: { value: "80" } });
    await waitFor(() => expect(called("GET", "/problems/1/finalists").at(-1)!.query.get("weights")).toBe("80 20"));
  });

  it("who is beaten in every metric is signed with a reason only", async () => {
    on("GET /problems/1/finalists", () => several([10, 30]));
    await begin("?view=finalists");
    await waitFor(() => expect(row(second.trial.id)).toBeTruthy());
    fireEvent.click(row(second.trial.id));
    await waitFor(() => expect(document.querySelector("[data-worse]")!.textContent).toContain("not on the front"));
    expect((await button("Sign this choice")).hasAttribute("disabled")).toBe(true);
  });

  it("one search is decided on by itself, as its Live screen leads to it, and all again", async () => {
    on("GET /problems/1/finalists", () => several([30, 10]));
    const { where } = await begin("?of=2&weights=2+1");
    const { query } = called("GET", "/problems/1/finalists").at(-1)!;
    expect([query.get("search"), query.get("weights")]).toEqual(["2", "2 1"]);
    await waitFor(() => expect(document.querySelector("[data-of]")!.textContent).toContain("search 2 only"));
    fireEvent.click(document.querySelector("[data-of] button")!);
    await waitFor(() => expect(where()).not.toContain("of="));
    await waitFor(() => expect(called("GET", "/problems/1/finalists").at(-1)!.query.get("search")).toBeNull());
  });
});
