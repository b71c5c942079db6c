import { screen, waitFor } from "@testing-library/react";
import { describe, expect, it } from "vitest";
import type { Problem, Schemas, Search } from "../../../src/api/client";
import { No, answer, at, on, open, press, type } from "../../stand";

const problem = answer<Problem>("GET /api/v1/problems/1");

describe("home", () => {
  it("finds problems by text and by tag", async () => {
    const other = { ...problem, id: 2, name: "Energy per trip", tags: ["fresh"], best: null, running: 1 };
    on("GET /problems", () => [problem, other]);
    open("/");
    await screen.findByText("Warm arrivals", { selector: "h2 a" });
    const field = at("Search problems");
    await press("fresh");
    expect((field as HTMLInputElement).value).toBe("fresh");
    expect(screen.queryByText("Warm arrivals", { selector: "h2 a" })).toBeNull();
    expect(screen.getByText("Energy per trip").getAttribute("href")).toBe("/p/2/live");
    type(field, "nowhere");
    await screen.findByText("No problem matches “nowhere”.");
  });

  it("lays what waits for a decision, what runs and what was decided on the desk", async () => {
    const [search] = answer<Search[]>("GET /api/v1/problems/1/searches");
    const running = { ...search!, state: "running" as const, budgeted: 3, budget_trials: 12, seconds_left: 90 };
    on("GET /problems", () => [
      { ...problem, decided: false, running: 0 },
      { ...problem, id: 2, name: "Energy per trip", running: 1 },
      { ...problem, id: 3, name: "Compressor sound", decided: true, running: 0 },
    ]);
    on("GET /problems/2/searches", () => [running]);
    const { where } = open("/");
    await screen.findByText("1 min 30 s left");
    expect(document.querySelector("[data-run]")!.textContent).toContain("3/12 trials");
    expect([...document.querySelectorAll("[data-ripe]")].map((e) => e.getAttribute("data-ripe"))).toEqual(["1"]);
    await press("Decide");
    await waitFor(() => expect(where()).toBe("/p/1/decision"));
  });

  it("lets a new workspace begin with a file, own code, or the demo", async () => {
    let there = false;
    on("GET /problems", () => (there ? [problem] : []));
    on("POST /workspace/demo", () => {
      there = true;
      return { problems: [1] };
    });
    open("/");
    await screen.findByText("Drop a data file here");
    expect((await screen.findByText("Start from a program")).getAttribute("href")).toBe("/new?what=program");
    await press("Open the demo");
    await screen.findByText("Warm arrivals", { selector: "h2 a" });
  });

  it("asks before own code from elsewhere runs", async () => {
    const workspace = answer<Schemas["WorkspaceView"]>("GET /api/v1/workspace");
    let allowed = false;
    on("GET /problems", () => [problem]);
    on("GET /workspace", () => ({ ...workspace, not_trusted: allowed ? [] : ["centres_1234"], logged_in: true }));
    on("POST /workspace/trust", () => {
      allowed = true;
      return { allowed: ["centres_1234"] };
    });
    open("/");
    await screen.findByText(/centres_1234/);
    expect(screen.getByText("Log out").closest("form")?.getAttribute("action")).toBe("/logout");
    await press("I have read it: it may run");
    await waitFor(() => expect(screen.queryByText(/centres_1234/)).toBeNull());
  });

  it("says so when the server is away", async () => {
    on("GET /problems", () => new No(500, { detail: "The database is locked.", field: null, status: 500, trace: "x" }));
    open("/");
    await screen.findByText("The database is locked.");
  });
});
