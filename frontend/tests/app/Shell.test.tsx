import { fireEvent, screen, waitFor, within } from "@testing-library/react";
import { describe, expect, it } from "vitest";
import type { TrialDetail } from "../../src/api/client";
import { No, answer, buttons, field, on, open, type } from "../stand";

const key = (k: string, target: Element = document.body, more = {}) => fireEvent.keyDown(target, { key: k, ...more });

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
    const { where } = open("/p/1/evidence?search=1&view=trials");
    const entry = await field("Filter trials");
    key("5", entry);
    key("n", entry);
    key("?", entry);
    expect(where()).toBe("/p/1/evidence?search=1&view=trials");
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
