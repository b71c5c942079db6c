// @vitest-environment jsdom
/** Brief and Space, as somebody works on them. */
import { fireEvent, screen, waitFor, within } from "@testing-library/react";
import { describe, expect, it } from "vitest";
import type { Data, Preview, Problem, Schemas } from "../src/api/client";
import { No, answer, answers, asked, at, button, buttons, called, field, on, open, press, type } from "./stand";

type SpaceView = Schemas["SpaceView"];
const data = Object.values(answers).find((a) => typeof a === "object" && a && "columns" in a) as Data;
const column = (name: string) => document.querySelector<HTMLElement>(`[data-column="${name}"]`)!;
const refused = (key: string, status = 422) => new No(status, answers[key]);

describe("a new problem", () => {
  const begin = async () => {
    const page = open(`/new?data=${data.hash}`);
    await waitFor(() => expect(column("arrived_warm")).toBeTruthy());
    return page;
  };

  it("is framed from a file: target, what follows from it, and what the server made of it", async () => {
    on("POST /problems", (call) => ({ ...answer<Problem>("GET /api/v1/problems/1"), name: call.body.name }));
    on("POST /problems/1/baselines", () => []);
    const { where } = await begin();
    expect(buttons("Frame the problem"), "without a target nothing is ready").toEqual([]);
    await press("target", column("arrived_warm"));
    const { body } = await asked("POST", "/briefs/preview");
    expect([body.target, body.metric, body.folds]).toEqual(["arrived_warm", null, "5"]);
    expect(body.features).not.toContain("arrived_warm");
    expect(body.features, "free text and dates are left out by themselves").not.toContain("departed_on");
    await screen.findByText(/predicts two classes/);
    type(at("Name"), "Loads");
    type(at("Metric"), "ROC AUC");
    await waitFor(() => expect(called("POST", "/briefs/preview").at(-1)!.body.metric).toBe("ROC AUC"));
    await waitFor(async () => expect((await button("Frame the problem")).hasAttribute("disabled")).toBe(false));
    await press("Frame the problem");
    const made = await asked("POST", "/problems");
    expect([made.body.name, made.body.metric, made.body.target]).toEqual(["Loads", "ROC AUC", "arrived_warm"]);
    await waitFor(() => expect(where()).toBe("/p/1/space"));
    expect(called("POST", "/problems/1/baselines"), "baselines are scored in the background").toHaveLength(1);
  });

  it("says at the field what the server refuses, and takes it back when it is mended", async () => {
    on("POST /briefs/preview", (call) =>
      call.body.folds === "1" ? refused("refused brief") : answer<Preview>("POST /api/v1/briefs/preview"),
    );
    await begin();
    await press("target", column("arrived_warm"));
    type(await field(/^Folds/), "1");
    const alert = await screen.findByText("A split plan has 2 to 50 folds. Got 1.");
    expect(alert.dataset.error).toBe("folds");
    expect((await button("Frame the problem")).hasAttribute("disabled")).toBe(true);
    type(at(/^Folds/), "4");
    await waitFor(() => expect(screen.queryByText(/A split plan has/)).toBeNull());
  });

  it("follows a finding: one click gives the column its role", async () => {
    on("POST /briefs/preview", () => ({
      ...answer<Preview>("POST /api/v1/briefs/preview"),
      findings: answers["GET /api/v1/problems/1/findings"],
    }));
    await begin();
    await press("target", column("arrived_warm"));
    await screen.findByText(/looks like the name of a thing that recurs/);
    fireEvent.click(buttons(/group/i).at(-1)!);
    await waitFor(() => expect(called("POST", "/briefs/preview").at(-1)!.body.group).toBe("unit_id"));
  });

  it("shows what stands in the way of a file, and keeps the page", async () => {
    on("GET /data", () => []);
    open("/new");
    const input = await field("Data file");
    const sent: string[] = [];
    class Sending {
      upload = {} as { onprogress?: unknown };
      status = 422;
      responseText = JSON.stringify({ detail: "Line 7 has 3 cells, the header 4.", field: "data" });
      onload?: () => void;
      open(_: string, url: string) {
        sent.push(url);
      }
      setRequestHeader() {}
      abort() {}
      send() {
        queueMicrotask(() => this.onload?.());
      }
    }
    const real = globalThis.XMLHttpRequest;
    globalThis.XMLHttpRequest = Sending as never;
    try {
      fireEvent.change(input, { target: { files: [new File(["a,b"], "trips & loads.csv")] } });
      const alert = await screen.findByText(/^trips & loads/);
      expect(alert.textContent).toBe("trips & loads.csv: Line 7 has 3 cells, the header 4.");
      expect(sent[0]).toMatch(/^\/api\/v1\/data\?name=trips%20%26%20loads.csv&token=/);
      await button("Choose a file");
    } finally {
      globalThis.XMLHttpRequest = real;
    }
  });
});

describe("the space", () => {
  const checked = answer<SpaceView>("checked space");
  const lane = (name: string) => document.querySelector<HTMLElement>(`[data-lane="${name}"]`)!;
  const text = () => at<HTMLTextAreaElement>("Space notation");
  /** A server that reads text as it is and writes lanes as lines. */
  const reads = () =>
    on("POST /spaces/check", (call) => {
      if (call.body.parameters) {
        const made = (call.body.parameters as Record<string, unknown>[]).map(
          (p) => `${String(p.name)}: ${JSON.stringify(p)}`,
        );
        return { ...checked, parameters: call.body.parameters, text: `${made.join("\n")}\n` };
      }
      if (String(call.body.text).includes("2 .. \n")) return answer<SpaceView>("refused space");
      return { ...checked, text: call.body.text ?? checked.text };
    });
  const begin = async (address = "/p/1/space?search=1") => {
    reads();
    const page = open(address);
    await waitFor(() => expect(lane("depth")).toBeTruthy());
    await waitFor(async () => expect((await button("Launch")).hasAttribute("disabled")).toBe(false));
    return page;
  };

  it("begins with the chosen search's space, counted", async () => {
    await begin();
    expect(text().value).toBe("depth: 2 .. 12 int\nmin_leaf: 1 .. 60 int log\n");
    expect(screen.getByText(/660 configurations/, { selector: "p" }).textContent).toContain("a grid of 25");
    expect(lane("min_leaf").textContent, "every setting has its plain sentence").toMatch(/rows/);
  });

  it("shows a mistake at its line with a caret, holds the launch, and loses nothing", async () => {
    await begin();
    type(text(), "depth: 2 .. \n");
    const alert = await screen.findByText(/Line 1, column 12/);
    expect(alert.textContent!.split("\n").at(-1)!.trimEnd().endsWith("^")).toBe(true);
    expect(text().getAttribute("aria-invalid")).toBe("true");
    expect((await button("Launch")).hasAttribute("disabled")).toBe(true);
    expect(lane("depth"), "the last good lanes stay").toBeTruthy();
    await press("Undo");
    await waitFor(() => expect(text().getAttribute("aria-invalid")).toBe("false"));
    expect(text().value).toBe(checked.text);
    expect((await button("Undo")).hasAttribute("disabled")).toBe(true);
  });

  it("is kept in the browser until it is launched", async () => {
    const { unmount } = await begin();
    type(text(), "depth: 3 .. 9 int\n");
    await waitFor(() => expect(localStorage.getItem("pellux-space-1")).toContain("3 .. 9"));
    unmount();
    reads();
    open("/p/1/space?search=1");
    await waitFor(() => expect(text().value).toBe("depth: 3 .. 9 int\n"));
  });

  it("keeps lanes and text in step: start, cost, holding a value", async () => {
    await begin();
    const start = within(lane("depth")).getByLabelText("Start of depth");
    type(start, "5");
    fireEvent.blur(start);
    await waitFor(() => expect(text().value).toContain('"start":5'));
    fireEvent.click(lane("min_leaf").querySelector("[type=checkbox]")!);
    await waitFor(() => expect(text().value).toContain('"costly":true'));
    type(text(), "depth: 2 .. 12 int\nmin_leaf: 1 .. 60 int log\n");
    await press(/^hold at/, lane("depth"));
    expect(text().value.split("\n")[0]).toMatch(/^depth: \S+$/);
    expect(text().value.split("\n")[1], "the other line is left alone").toBe("min_leaf: 1 .. 60 int log");
  });

  it("says beside the lanes why a change of one cannot be", async () => {
    await begin();
    on("POST /spaces/check", (call) =>
      call.body.parameters
        ? { ...checked, error: "The start 99 lies outside 2 .. 12.\n more", line: 1, column: 1 }
        : { ...checked, text: call.body.text ?? checked.text },
    );
    const start = within(lane("depth")).getByLabelText("Start of depth");
    type(start, "99");
    fireEvent.blur(start);
    expect((await screen.findByText("The start 99 lies outside 2 .. 12.")).dataset.error).toBe("lane");
    expect(text().value).toBe(checked.text);
  });

  it("launches exactly what the row says", async () => {
    on("POST /problems/1/searches", () => answer("GET /api/v1/searches/2"));
    const { where } = await begin();
    type(at("Strategy"), "gaussian process");
    type(at("Early stopping"), "asynchronous halving");
    type(at("Trials"), "25");
    type(at("Until score"), "0.4");
    await press("settings");
    type(at("factor"), "4");
    type(at("What grows"), "rows");
    fireEvent.click(at(/warm start/));
    await press("Launch");
    const { body } = await asked("POST", "/problems/1/searches");
    expect(body).toMatchObject({ learner: "tree", space: checked.text });
    expect(body.plan).toMatchObject({
      strategy: "gaussian process",
      "early stopping": "asynchronous halving",
      stopping: { factor: 4, resource: "rows" },
      trials: 25,
      "target score": 0.4,
      minutes: null,
      "warm start": "none",
    });
    await waitFor(() => expect(where()).toBe("/p/1/live?search=2"));
  });

  it("shows what a setting that is left open comes to", async () => {
    const known = answer<Schemas["ForecastView"]>("POST /api/v1/problems/1/forecast");
    const stopping = { ...known.stopping, key: "asynchronous halving", settings: { factor: 9, least: 11 } };
    on("POST /problems/1/forecast", () => ({ ...known, stopping }));
    await begin();
    type(at("Early stopping"), "asynchronous halving");
    await press("settings");
    await waitFor(() => expect(at<HTMLInputElement>("factor").placeholder).toBe("9"));
    expect(at<HTMLInputElement>("least").placeholder).toBe("11");
    expect(at<HTMLInputElement>("factor").value, "it is not said for the user").toBe("");
  });

  it("marks the field that the plan is refused for", async () => {
    on("POST /problems/1/forecast", (call) =>
      (call.body.plan as { trials: number }).trials === 0
        ? refused("refused plan")
        : answer("POST /api/v1/problems/1/forecast"),
    );
    await begin();
    const trials = at("Trials");
    type(trials, "0");
    expect((await screen.findByText(/greater than or equal to 1. Got 0/)).dataset.error).toBe("plan");
    expect(trials.getAttribute("aria-invalid")).toBe("true");
    expect(at("Minutes").getAttribute("aria-invalid")).toBe("false");
    type(trials, "8");
    await waitFor(() => expect(trials.getAttribute("aria-invalid")).toBe("false"));
    expect(document.querySelector("[data-forecast]")!.textContent).toMatch(/36 fits/);
  });

  it("rehearses and tells what the fits did", async () => {
    on("POST /problems/1/rehearsals", () => ({
      fits: [
        { configuration: { depth: 2 }, state: "done", seconds: 0.2, score: 0.11, message: "", warnings: [] },
        {
          configuration: { depth: 12 },
          state: "error",
          seconds: 0.1,
          score: null,
          message: "out of memory",
          warnings: [],
        },
      ],
      forecast: answers["POST /api/v1/problems/1/forecast"],
    }));
    await begin();
    await press("Rehearse");
    await screen.findByText(/out of memory/);
    await waitFor(() => expect(called("POST", "/problems/1/forecast").length).toBeGreaterThan(1));
  });

  it("starts from a signed decision that the address names", async () => {
    on("GET /decisions", () => answers["decisions after signing"]);
    on("POST /problems/1/searches", () => answer("GET /api/v1/searches/2"));
    await begin("/p/1/space?search=1&decision=1");
    await press("Launch");
    const { body } = await asked("POST", "/problems/1/searches");
    expect((body.plan as Record<string, unknown>)["from decisions"]).toEqual([1]);
  });

  it("tells when the server is gone, and works again when it is back", async () => {
    await begin();
    on("POST /problems/1/forecast", () => {
      throw new TypeError("fetch failed");
    });
    type(at("Trials"), "9");
    await screen.findByText("The server does not answer. Is Pellux still running?");
    on("POST /problems/1/forecast", () => answer("POST /api/v1/problems/1/forecast"));
    type(at("Trials"), "10");
    await waitFor(() => expect(screen.queryByText(/does not answer/)).toBeNull());
  });
});
