// @vitest-environment jsdom
/** Decision, home, and what works on every screen. */
import { fireEvent, screen, waitFor, within } from "@testing-library/react";
import { describe, expect, it } from "vitest";
import type { Problem, Search, TrialDetail } from "../src/api/client";
import type { Decision, Finalists, Honest } from "../src/api/decisions";
import { No, answer, answers, asked, at, button, buttons, called, field, on, open, press, type } from "./stand";

const found = answer<Finalists>("GET /api/v1/problems/1/finalists");
const signed = answer<Decision>("signed decision");
const problem = answer<Problem>("GET /api/v1/problems/1");
const leader = found.finalists[0]!;
const second = found.finalists[1]!;
const done: Honest = {
  ...{ id: 1, kind: "honest", state: "done", message: "", created_at: 1, ended_at: 2 },
  ...{ raw: 0.31, score: 0.27, low: 0.19, high: 0.35, wins: [[leader.trial.id, 0.62]], rounds: 200, trials: 12 },
  ...{ without_predictions: 2, contenders: 5, best: leader.trial.id },
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
    expect(expectation.textContent).toMatch(/The best of 12 looks like 0\.31\d*; expect 0\.27/);
    expect(expectation.textContent, "0.31 - 0.27").toContain("About 0.040 of its score is luck");
    expect(expectation.textContent).toContain("62");
    expect(expectation.textContent).toContain("2 trials kept no predictions");
  });

  it("signs what a rule chose, with the rule's reason unless another is given", async () => {
    on("POST /problems/1/decisions", () => signed);
    await begin();
    await press(/^One standard error/);
    await press("Sign this choice");
    const said = found.suggestions.find((s) => s.rule === "one standard error")!;
    expect((await asked("POST", "/problems/1/decisions")).body).toMatchObject({
      ...{ trial_id: said.trial_id, rule: "one standard error", reason: said.reason, signer: "" },
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
    type(at("Reason"), "Smaller, and as good.");
    type(at("Signed"), "Bo");
    await press("Sign this choice");
    expect((await asked("POST", "/problems/1/decisions")).body).toMatchObject({
      ...{ trial_id: second.trial.id, rule: "by hand", reason: "Smaller, and as good.", signer: "Bo" },
    });
    await screen.findByText("Trial 9 was withdrawn.");
    expect((await button("Sign this choice")).hasAttribute("disabled")).toBe(false);
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
    expect((repeats as HTMLInputElement).value, "within what the server takes").toBe("50");
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

describe("home", () => {
  it("finds problems by text and by tag", async () => {
    const other = { ...problem, id: 2, name: "Energy per trip", tags: ["fresh"], best: null, running: 1 };
    on("GET /problems", () => [problem, other]);
    open("/");
    await screen.findByText("Warm arrivals");
    const field = at("Search problems");
    await press("fresh");
    expect((field as HTMLInputElement).value).toBe("fresh");
    expect(screen.queryByText("Warm arrivals")).toBeNull();
    expect(screen.getByText("Energy per trip").getAttribute("href")).toBe("/p/2/live");
    type(field, "nowhere");
    await screen.findByText("No problem matches “nowhere”.");
  });

  it("leads a new workspace to its first file", async () => {
    on("GET /problems", () => []);
    const { where } = open("/");
    await press("Start from a data file");
    await waitFor(() => expect(where()).toBe("/new"));
  });

  it("says so when the server is away", async () => {
    on("GET /problems", () => new No(500, { detail: "The database is locked.", field: null, status: 500, trace: "x" }));
    open("/");
    await screen.findByText("The database is locked.");
  });
});

describe("everywhere", () => {
  it("goes to stages by number and to anything by name", async () => {
    const { where } = open("/p/1/brief?search=1");
    await screen.findByText(/900 rows · average precision/);
    for (const [digit, stage] of ["brief", "space", "live", "evidence"].entries()) {
      key(String(digit + 1));
      await waitFor(() => expect(where()).toBe(`/p/1/${stage}?search=1`));
    }
    key("k", document.body, { ctrlKey: true });
    const entry = await field("Go to");
    type(entry, "network");
    key("Enter", entry);
    await waitFor(() => expect(where()).toBe("/p/1/live?search=2"));
    key("k", document.body, { ctrlKey: true });
    type(await field("Go to"), "zzz");
    await screen.findByText("Nothing here is called that.");
  });

  it("keeps its keys to itself while somebody types", async () => {
    const { where } = open("/p/1/evidence?search=1");
    const entry = await field("Filter trials");
    key("5", entry);
    key("n", entry);
    key("?", entry);
    expect(where()).toBe("/p/1/evidence?search=1");
    expect(screen.queryByText("Keys")).toBeNull();
    key("?");
    const keys = await screen.findByText("Keys");
    expect(within(keys.parentElement!).getByText("Go to anything")).toBeTruthy();
  });

  it("has an answer for every address", async () => {
    open("/nowhere/at/all");
    await screen.findByText("There is no page at this address");
  });

  it.each(["brief", "space", "live", "evidence", "decision"])(
    "says on %s that a problem is not there",
    async (stage) => {
      on("GET /problems/7", () => new No(404, { detail: "There is no problem 7.", field: null, status: 404 }));
      on("GET /problems/7/searches", () => []);
      open(`/p/7/${stage}`);
      await screen.findAllByText(/There is no problem 7/);
    },
  );

  it("does not fall over what an answer lacks", async () => {
    on("GET /trials/10", () => ({
      ...answer<TrialDetail>("GET /api/v1/trials/10"),
      fits: [],
      curves: [],
      best: null,
      baseline: null,
    }));
    open("/p/1/evidence?search=2&trial=10");
    await screen.findByText("Baseline", { selector: "h2" });
    expect(buttons(/^Shortlist/)).toHaveLength(1);
  });
});
