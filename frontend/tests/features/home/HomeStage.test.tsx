// @vitest-environment jsdom
import { screen, waitFor } from "@testing-library/react";
import { describe, expect, it } from "vitest";
import type { Problem, Schemas } from "../../../src/api/client";
import { No, answer, at, on, open, press, type } from "../../stand";

const problem = answer<Problem>("GET /api/v1/problems/1");

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
