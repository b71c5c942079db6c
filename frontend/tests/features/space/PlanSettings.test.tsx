/** Settings of the plan: a strategy's and a rule's side by side, each sent to its own place, and what is left alone is not sent. */
import { fireEvent, screen } from "@testing-library/react";
import { describe, expect, it } from "vitest";
import type { Problem, Schemas } from "../../../src/api/client";
import { No, answer, answers, asked, at, called, field, on, open, press, type } from "../../stand";

const forecast = answer<Schemas["ForecastView"]>("POST /api/v1/problems/1/forecast");
const checked = answer<Schemas["SpaceView"]>("checked space");
const planOf = (body: unknown) => (body as { plan: Schemas["SettingsRequest"] }).plan;
const last = () => planOf(called("POST", "/problems/1/forecast").at(-1)!.body);
const begin = async () => {
  on("POST /spaces/check", (call) => ({ ...checked, text: call.body.text ?? checked.text }));
  open("/p/1/space?search=1");
  await asked("POST", "/problems/1/forecast");
};
const choose = async (label: string, value: string) => {
  const select = await field<HTMLSelectElement>(label);
  fireEvent.change(select, { target: { value } });
};

describe("settings of a plan", () => {
  it("of a strategy go to its own place, and a population takes no rule beside it", async () => {
    await begin();
    await choose("Strategy", "population training");
    expect((await field<HTMLSelectElement>("Early stopping")).disabled).toBe(true);
    await press("settings");
    type(await field("interval"), "3");
    type(at("members"), "6");
    type(at("most"), "27");
    await expect.poll(last).toMatchObject({
      "strategy settings": { interval: 3, members: 6 },
      stopping: { most: 27 },
      "early stopping": "none",
    });
    type(at("members"), "");
    await expect.poll(() => last()["strategy settings"]).toEqual({ interval: 3 });
  });

  it("of a rule are forgotten with the rule, and what a forecast made of those left open is shown", async () => {
    on("POST /problems/1/forecast", (call) => ({
      ...forecast,
      stopping: { ...forecast.stopping, key: planOf(call.body)["early stopping"], settings: { factor: 3, least: 1 } },
    }));
    await begin();
    await choose("Early stopping", "asynchronous halving");
    await press("settings");
    const factor = await field<HTMLInputElement>("factor");
    await expect.poll(() => factor.placeholder).toBe("3");
    type(factor, "4");
    await choose("What grows", "rows");
    await expect.poll(() => last().stopping).toEqual({ factor: 4, resource: "rows" });
    await choose("Early stopping", "plateau");
    await expect.poll(() => last().stopping).toEqual({});
  });

  it("that are refused are marked where they were typed", async () => {
    const no = { ...(answers["refused plan"] as object), detail: "2 or more. Got 1.", field: "plan.stopping.factor" };
    await begin();
    await choose("Early stopping", "successive halving");
    await press("settings");
    on("POST /problems/1/forecast", () => new No(422, no));
    type(await field("factor"), "1");
    await screen.findByText("2 or more. Got 1.");
    expect(at("factor").getAttribute("aria-invalid")).toBe("true");
    expect(at("least").getAttribute("aria-invalid")).not.toBe("true");
  });

  it("are not offered where there are none", async () => {
    await begin();
    await choose("Early stopping", "none");
    await expect.poll(() => last()["early stopping"]).toBe("none");
    expect(screen.queryByText("settings")).toBeNull();
  });
});

describe("a problem that is not about a table", () => {
  const problem = { ...answer<Problem>("GET /api/v1/problems/1"), objective: "two numbers", brief: null };
  it.each(["brief", "space", "decision"])("says so on the stage %s", async (stage) => {
    on("GET /problems/1", () => problem);
    open(`/p/1/${stage}`);
    await screen.findByText(/This problem is about two numbers, not about a table/);
    expect(screen.getByText("Watch its searches").getAttribute("href")).toBe("/p/1/live");
  });
  it("is watched like any other", async () => {
    on("GET /problems/1", () => problem);
    open("/p/1/live?search=2");
    await screen.findByText(/finished/);
    expect(document.querySelector("[data-objective]")).toBeNull();
  });
});
