/** A problem from its file to its brief. */
import { fireEvent, screen, waitFor } from "@testing-library/react";
import { describe, expect, it } from "vitest";
import type { Data, Preview, Problem } from "../../../src/api/client";
import { No, answer, answers, asked, at, button, buttons, called, field, on, open, press, type } from "../../stand";

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

  it("can be framed while a change is still being looked at, and not before its target was", async () => {
    const never = new Promise<never>(() => undefined);
    let late = false;
    on("POST /briefs/preview", () => (late ? never : answer<Preview>("POST /api/v1/briefs/preview")));
    on("POST /problems", () => answer<Problem>("GET /api/v1/problems/1"));
    on("POST /problems/1/baselines", () => []);
    await begin();
    const off = async () => (await button("Frame the problem")).hasAttribute("disabled");
    await press("target", column("arrived_warm"));
    expect(await off()).toBe(true);
    await waitFor(async () => expect(await off()).toBe(false));
    late = true;
    type(at("Seed"), "11");
    await waitFor(() => expect(called("POST", "/briefs/preview").at(-1)!.body.seed).toBe(11));
    expect(await off()).toBe(false);
    await press("target", column("precooled"));
    expect(await off()).toBe(true);
    await press("target", column("arrived_warm"));
    await press("Frame the problem");
    expect((await asked("POST", "/problems")).body).toMatchObject({ seed: 11, target: "arrived_warm" });
  });

  it("says what was refused on saving, until the brief is another", async () => {
    on("POST /problems", (call) =>
      call.body.folds === "51" ? refused("refused brief") : answer<Problem>("GET /api/v1/problems/1"),
    );
    on("POST /problems/1/baselines", () => []);
    const { where } = await begin();
    await press("target", column("arrived_warm"));
    await waitFor(async () => expect((await button("Frame the problem")).hasAttribute("disabled")).toBe(false));
    type(at("Folds"), "51");
    await press("Frame the problem");
    expect((await screen.findByText("A split plan has 2 to 50 folds. Got 1.")).dataset.error).toBe("folds");
    type(at("Folds"), "4");
    await waitFor(() => expect(screen.queryByText(/A split plan has/)).toBeNull());
    await press("Frame the problem");
    await waitFor(() => expect(where()).toBe("/p/1/space"));
  });

  it("survives a reload, until one begins anew", async () => {
    const { unmount } = await begin();
    await press("target", column("arrived_warm"));
    type(at("Name"), "Half a brief");
    unmount();
    const again = await begin();
    expect((await field<HTMLInputElement>("Name")).value).toBe("Half a brief");
    await press("Begin anew");
    await screen.findByText("What is to be predicted?");
    again.unmount();
    await begin();
    await screen.findByText("What is to be predicted?");
  });

  it("says at the field what the server refuses, and takes it back when it is mended", async () => {
    on("POST /briefs/preview", (call) =>
      call.body.folds === "51" ? refused("refused brief") : answer<Preview>("POST /api/v1/briefs/preview"),
    );
    await begin();
    await press("target", column("arrived_warm"));
    await waitFor(async () => expect((await button("Frame the problem")).hasAttribute("disabled")).toBe(false));
    const metric = at<HTMLSelectElement>("Metric").value;
    expect(metric).not.toBe("");
    type(at("Folds"), "51");
    const alert = await screen.findByText("A split plan has 2 to 50 folds. Got 1.");
    expect(alert.dataset.error).toBe("folds");
    expect((await button("Frame the problem")).hasAttribute("disabled")).toBe(true);
    expect(at<HTMLSelectElement>("Metric").value, "what else was known of the brief stays").toBe(metric);
    type(at("Folds"), "4");
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

describe("a file", () => {
  it("is read anew when it was read wrongly, and what was said of the brief stays", async () => {
    const other = { ...data, hash: "anew", reading: { ...data.reading, decimal: "," } };
    on(`POST /data/${data.hash}/readings`, (call) =>
      call.body.delimiter === "|"
        ? new No(422, { detail: "With a bar there is one column only.", field: "delimiter", status: 422 })
        : other,
    );
    const { where } = open(`/new?data=${data.hash}`);
    await waitFor(() => expect(document.querySelector('[data-column="arrived_warm"]')).toBeTruthy());
    await press("target", document.querySelector('[data-column="arrived_warm"]')!);
    type(await field("Name"), "Loads");
    await press("first rows");
    const first = at("First rows");
    expect(first.querySelectorAll("thead th")).toHaveLength(data.columns.length);
    await press("correct");
    type(at("Columns parted by"), "|");
    expect((await screen.findByText("With a bar there is one column only.")).dataset.error).toBe("reading");
    type(at("Decimal sign"), ",");
    await waitFor(() => expect(where()).toBe("/new?data=anew"));
    expect(called("POST", `/data/${data.hash}/readings`).at(-1)!.body).toMatchObject({
      ...{ format: "csv", decimal: ",", delimiter: data.reading.delimiter },
    });
    expect((await field<HTMLInputElement>("Name")).value).toBe("Loads");
  });
});

describe("a brief that nothing was scored by", () => {
  const problem = { ...answer<Problem>("GET /api/v1/problems/1"), frozen: false };

  it("is changed in place, and its baselines are scored on request", async () => {
    on("GET /problems/1", () => problem);
    on("PUT /problems/1/brief", () => problem);
    on("POST /problems/1/baselines", (call) =>
      (call.body.learners as string[] | undefined)?.includes("bayes")
        ? new No(409, { detail: "Naive Bayes cannot weigh rows.", field: "learners", status: 409 })
        : answers["GET /api/v1/problems/1/baselines"],
    );
    const { where } = open("/p/1/brief");
    const baselines = await waitFor(
      () => document.querySelector<HTMLElement>('[data-baselines="2"]') ?? Promise.reject(new Error()),
    );
    expect(baselines.querySelector('[data-baseline="tree"]')!.textContent).toMatch(/Decision tree0\.07\d* ± 0\.02/);
    expect(buttons("+ Decision tree"), "what is scored is not offered again").toEqual([]);
    await press("+ Naive Bayes");
    await screen.findByText("Naive Bayes cannot weigh rows.");
    type(at("Seed"), "11");
    await waitFor(() => expect(called("POST", "/briefs/preview").at(-1)!.body.seed).toBe(11));
    await waitFor(async () => expect((await button("Save the brief")).hasAttribute("disabled")).toBe(false));
    await press("Save the brief");
    expect((await asked("PUT", "/problems/1/brief")).body).toMatchObject({ seed: 11, target: "arrived_warm" });
    await waitFor(() => expect(where()).toBe("/p/1/space"));
  });
});

describe("on the brief", () => {
  it("a frozen brief can only be copied into a new problem", async () => {
    const { where } = open("/p/1/brief");
    await screen.findByText(/900 rows/, { selector: "p, span" }).catch(() => undefined);
    const copy = await waitFor(() => buttons(/new problem|copy|change/i)[0] ?? Promise.reject(new Error("no way on")));
    fireEvent.click(copy);
    await waitFor(() => expect(where()).toContain("/new?from=1"));
    await waitFor(() => expect(at<HTMLInputElement>("Name").value).toBe("Warm arrivals (changed)"));
  });
});
