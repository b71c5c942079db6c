/** The space and its plan: lanes and text in step, forecasts, launch. */
import { fireEvent, screen, waitFor, within } from "@testing-library/react";
import { describe, expect, it } from "vitest";
import type { Learner, Schemas } from "../../../src/api/client";
import { No, answer, answers, asked, at, button, called, field, on, open, press, type } from "../../stand";

type SpaceView = Schemas["SpaceView"];
const refused = (key: string, status = 422) => new No(status, answers[key]);

type Catalogue = Schemas["CatalogueView"];
const checked = answer<Schemas["SpaceView"]>("checked space");

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
      "warm start": "all",
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
      (call.body.plan as { trials: number }).trials === 777
        ? refused("refused plan")
        : answer("POST /api/v1/problems/1/forecast"),
    );
    await begin();
    const trials = at("Trials");
    for (const typed of ["0", "1e9", "015", "-3", "8.5", ""]) {
      type(trials, typed);
      expect((await screen.findByText(/^Trials: a whole number, written out, 1 or more\.$/)).dataset.error).toBe(
        "plan",
      );
      expect((trials as HTMLInputElement).value).toBe(typed);
      expect(trials.getAttribute("aria-invalid")).toBe("true");
      expect((await button("Launch")).hasAttribute("disabled")).toBe(true);
    }
    expect(at("Minutes").getAttribute("aria-invalid")).toBe("false");
    type(trials, "777");
    expect((await screen.findByText(/greater than or equal to 1. Got 0/)).dataset.error).toBe("plan");
    expect(trials.getAttribute("aria-invalid")).toBe("true");
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
    on("GET /learners", (call) => ({
      ...answer<Learner>("GET /api/v1/learners?key=tree&task=binary"),
      key: call.query.get("key"),
    }));
    await begin("/p/1/space?search=1&decision=1");
    const last = () =>
      (called("POST", "/problems/1/forecast").at(-1)!.body.plan as Record<string, unknown>)["from decisions"];
    await screen.findByText(/^Decision 1 is of network, so this search does not begin with it/);
    expect(last(), "a decision of another learner is left out").toEqual([]);
    await press("Search network");
    await waitFor(() => expect(last()).toEqual([1]));
    await press("Launch");
    const { body } = await asked("POST", "/problems/1/searches");
    expect([body.learner, (body.plan as Record<string, unknown>)["from decisions"]]).toEqual(["network", [1]]);
  });

  it("takes a decision of another learner away again", async () => {
    on("GET /decisions", () => answers["decisions after signing"]);
    await begin("/p/1/space?search=1&decision=1");
    await press("Take it away");
    await waitFor(() => expect(document.querySelector("[data-other-learner]")).toBeNull());
  });

  it("goes on with a plan that was being written", async () => {
    const { unmount } = await begin();
    expect((at("Trials") as HTMLInputElement).value, "of the last search").toBe("9");
    type(at("Trials"), "41");
    unmount();
    await begin();
    expect((at("Trials") as HTMLInputElement).value).toBe("41");
  });

  it("begins with the learner that does best as it comes", async () => {
    reads();
    on("GET /problems/1/searches", () => []);
    on("GET /problems/1/baselines", () => [
      { learner: "tree", label: "Decision tree", score: 0.3, state: "scored" },
      { learner: "boosting", label: "Gradient boosting", score: 0.2, state: "scored" },
    ]);
    open("/p/1/space");
    await waitFor(() => expect(called("POST", "/spaces/check").at(0)?.body.learner).toBe("tree"));
  });

  it("tells when the server is gone, and works again when it is back", async () => {
    await begin();
    on("POST /problems/1/forecast", () => {
      throw new TypeError("fetch failed");
    });
    type(at("Trials"), "11");
    await screen.findByText("The server does not answer. Is Pellux still running?");
    on("POST /problems/1/forecast", () => answer("POST /api/v1/problems/1/forecast"));
    type(at("Trials"), "10");
    await waitFor(() => expect(screen.queryByText(/does not answer/)).toBeNull());
  });
});

describe("on the space", () => {
  const begin = async () => {
    on("POST /spaces/check", (call) => ({ ...checked, text: call.body.text ?? checked.text }));
    const page = open("/p/1/space?search=1");
    await waitFor(async () => expect((await button("Launch")).hasAttribute("disabled")).toBe(false));
    return page;
  };
  const text = () => at<HTMLTextAreaElement>("Space notation").value;

  it("past results find their columns, and come in as they are said to be", async () => {
    on("POST /problems/1/past-results", (call) =>
      Object.values(call.body.columns as object).includes("depth")
        ? { rows: 2, best: 0.91 }
        : new No(422, { detail: "No column stands for a setting.", field: "columns", status: 422 }),
    );
    await begin();
    await press("past results …");
    const keep = await button("Keep them");
    expect(keep.hasAttribute("disabled")).toBe(true);
    const file = new File(["depth,min leaf,ap score,who\n4,10,0.91,anna\n7,20,0.5,ben\n"], "old.csv");
    fireEvent.change(at("File with past results"), { target: { files: [file] } });
    const stands = async (column: string) => (await field<HTMLSelectElement>(`What ${column} stands for`)).value;
    expect([await stands("depth"), await stands("ap score"), await stands("who")]).toEqual(["depth", "=score", "-"]);
    type(at("What min leaf stands for"), "min_leaf");
    type(at("What depth stands for"), "-");
    fireEvent.click(keep);
    await screen.findByText("No column stands for a setting.");
    type(at("What depth stands for"), "depth");
    fireEvent.click(keep);
    await screen.findByText(/^2 past results kept; the best scores 0\.91/);
    expect((await asked("POST", "/problems/1/past-results", 2)).body).toMatchObject({
      ...{ learner: "tree", source: "old.csv", format: "csv", score: "ap score" },
      columns: { depth: "depth", "min leaf": "min_leaf", who: "-" },
    });
  });

  it("a class of one's own is chosen once it is brought; a broken one shows its traceback", async () => {
    const where = "models.py:Thermostat";
    on(
      "POST /own-code",
      () =>
        new No(422, {
          detail: "models.py has no Thermostat.",
          field: "where",
          status: 422,
          trace: "line 1: ImportError",
        }),
    );
    await begin();
    await press("A class of your own …");
    type(at("Where it is"), where);
    await press("Bring it");
    await screen.findByText("line 1: ImportError");
    expect(screen.getByText("models.py has no Thermostat.").dataset.error).toBe("own");
    const own = `${where}@1`;
    const tree = answer<Learner>("GET /api/v1/learners?key=tree&task=binary");
    on("POST /own-code", () => ({ key: own, label: "Thermostat", kind: "learner" }));
    on("GET /learners", (call) => ({ ...tree, key: call.query.get("key") }));
    on("GET /catalogue", () => {
      const known = answer<Catalogue>("GET /api/v1/catalogue");
      return { ...known, learners: [...known.learners, { ...tree, key: own, label: "Thermostat" }] };
    });
    await press("Bring it");
    await waitFor(() => expect(called("POST", "/spaces/check").at(-1)!.body.learner).toBe(own));
    await screen.findByText("Thermostat");
    expect(called("POST", "/own-code")[0]!.body).toMatchObject({ kind: "learner", where });
  });

  it("learners are searched together, and taken out again", async () => {
    on("GET /learners", () => answer("GET /api/v1/learners?key=tree&task=binary"));
    await begin();
    type(at("Search another learner along"), "forest");
    await waitFor(() => expect(called("POST", "/spaces/check").at(-1)!.body.learner).toBe("tree | forest"));
    expect(localStorage.getItem("pellux-space-1")).toContain('"learner":"tree | forest"');
    await press(/^or .*forest ×$/i);
    await waitFor(() => expect(localStorage.getItem("pellux-space-1")).toContain('"learner":"tree"'));
    expect(text(), "the space laid out before is still there").toBe(checked.text);
  });

  it("a step of the preparation is searched by a click, and once only", async () => {
    await begin();
    const step = () => document.querySelector<HTMLButtonElement>('[data-step="fill"]')!;
    fireEvent.click(step());
    expect(text().startsWith(checked.text.trimEnd())).toBe(true);
    expect(text()).toMatch(/\nfill: .+\n$/);
  });

  it("two searches' spaces are compared line by line", async () => {
    on("POST /spaces/compare", () => ({
      ...{ configurations_before: 660, configurations_after: 90 },
      changes: [
        { what: "changed", name: "depth", before: "2 .. 12 int", after: "3 .. 9 int" },
        { what: "removed", name: "min_leaf", before: "1 .. 60 int log", after: null },
        { what: "same", name: "other", before: "1 .. 2", after: "1 .. 2" },
      ],
    }));
    await begin();
    type(at("First space"), "1");
    const shown = await waitFor(
      () => document.querySelector<HTMLElement>("[data-comparison]") ?? Promise.reject(new Error()),
    );
    expect(shown.textContent).toContain("→ depth: 2 .. 12 int → 3 .. 9 int");
    expect(shown.textContent).toContain("− min_leaf: 1 .. 60 int log");
    expect(shown.textContent, "what is the same is left out").not.toContain("other");
    expect((await asked("POST", "/spaces/compare")).body).toEqual({ one: checked.text, other: checked.text });
  });
});
