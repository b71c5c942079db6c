// @vitest-environment jsdom
/** What lies behind buttons and views: code and results of one's own, comparisons, trade-offs, thresholds, populations. */
import { fireEvent, screen, waitFor, within } from "@testing-library/react";
import { describe, expect, it } from "vitest";
import type { Curves, Learner, Points, Schemas, Search } from "../src/api/client";
import type { Diagnostics, Finalists } from "../src/api/decisions";
import { No, answer, asked, at, button, buttons, called, field, on, open, press, type } from "./stand";

type Catalogue = Schemas["CatalogueView"];
const checked = answer<Schemas["SpaceView"]>("checked space");
const found = answer<Finalists>("GET /api/v1/problems/1/finalists");
const leader = found.finalists[0]!.trial.id;

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
    const d = answer<Diagnostics>(`GET /api/v1/trials/${leader}/diagnostics`);
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
    const path = `/trials/${leader}/importance`;
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
    expect((await button("Sign this choice")).hasAttribute("disabled")).toBe(false);
  });
});

describe("on live", () => {
  const search = answer<Search[]>("GET /api/v1/problems/1/searches").find((s) => s.id === 2)!;
  const curves = answer<Curves>("GET /api/v1/searches/2/curves");

  it("rungs count everybody who came, and what became of them", async () => {
    open("/p/1/live?search=2");
    const rungs = await field("Rungs");
    const steps = [...rungs.querySelectorAll<HTMLElement>("[data-rung]")];
    expect(steps.map((s) => s.dataset.rung)).toEqual([...search.stopping.levels].reverse().map(String));
    for (const [i, step] of steps.entries()) {
      const told = [...curves.ladder].reverse()[i]!;
      expect(step.textContent).toContain(`${told.reached} trial`);
      const parts = [...step.querySelectorAll("[title]")].map((p) => Number(p.getAttribute("title")!.split(" ")[0]));
      expect(
        parts.reduce((a, b) => a + b, 0),
        "the bar holds every trial once",
      ).toBe(told.done + told.running);
    }
  });

  it("a population shows members, copies, and each setting over the training", async () => {
    const points = answer<Points>("GET /api/v1/searches/2/points");
    const numbers = [1, 2, 3, 4];
    on("GET /searches/2/curves", () => ({
      ...curves,
      ...{ population: true, levels: [3, 6, 9], numbers, ids: [21, 22, 23, 24], states: numbers.map(() => "scored") },
      ...{ origins: numbers.map(() => "proposed"), reasons: numbers.map(() => ""), flat: numbers.map(() => false) },
      ...{ members: [0, 1, 0, 1], rungs: [0, 0, 1, 1], parents: [null, null, 1, 1], best: [false, false, true, false] },
      ...{ best_iterations: [3, 3, 6, 6], xs: [[3], [3], [6], [6]], ys: [[0.2], [0.1], [0.4], [0.3]], ladder: [] },
    }));
    on("GET /searches/2/points", () => ({
      ...points,
      ...{ numbers, ids: [21, 22, 23, 24], states: numbers.map(() => "scored"), means: [0.2, 0.1, 0.4, 0.3] },
      ...{ origins: numbers.map(() => "proposed"), errors: numbers.map(() => 0.01), seconds: numbers.map(() => 1) },
      ...{ ended_at: numbers, values: { rate: [0.1, 0.01, 0.1, 0.12], pull: [1, 2, 1, 1.2] } },
    }));
    on("GET /trials/23", () => new No(404, { detail: "There is no trial 23.", field: null, status: 404 }));
    const { where } = open("/p/1/live?search=2");
    const drawing = await waitFor(
      () => document.querySelector<HTMLElement>("[data-population]") ?? Promise.reject(new Error()),
    );
    expect(drawing.dataset.population).toBe("2");
    const bars = [...drawing.querySelectorAll("rect")];
    expect(bars).toHaveLength(4);
    expect(
      drawing.querySelectorAll('path[stroke="var(--ember)"]'),
      "member 2 went on as a copy of member 1",
    ).toHaveLength(1);
    await press("pull", drawing);
    within(drawing).getByLabelText("pull of every member over the training");
    fireEvent.click(bars.find((b) => b.textContent!.startsWith("Trial 3"))!);
    await waitFor(() => expect(where()).toContain("trial=23"));
  });
});
