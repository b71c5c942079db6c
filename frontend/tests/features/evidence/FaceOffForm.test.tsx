/** A face-off is put together: who, how much each gets, how often; what it will cost is said before it begins. */
import { QueryClientProvider } from "@tanstack/react-query";
import { fireEvent, render, screen, waitFor } from "@testing-library/react";
import { describe, expect, it } from "vitest";
import { No, answer, asked, at, button, buttons, called, field, on, press, type } from "../../stand"; // first: it stands between the client and the network
import { queryClient, type Problem, type Search } from "../../../src/api/client";
import { FaceOffForm } from "../../../src/features/evidence/FaceOffForm";

const problem = answer<Problem>("GET /api/v1/problems/1");
const search = { ...answer<Search[]>("GET /api/v1/problems/1/searches")[0]!, folds: 5, workers: 2 };
const shown = async () => {
  render(
    <QueryClientProvider client={queryClient}>
      <FaceOffForm problem={problem} search={search} />
    </QueryClientProvider>,
  );
  await waitFor(() => expect(options("Strategy of entrant 1").length).toBeGreaterThan(3));
};
const options = (label: string) => [...at<HTMLSelectElement>(label).options].map((o) => o.value);
const entrants = () => [...document.querySelectorAll<HTMLSelectElement>("[aria-label^='Strategy of entrant']")];
const cost = () => document.querySelector("p.soft")!.textContent;

describe("a new face-off", () => {
  it("offers what can begin anew, with every early stopping", async () => {
    await shown();
    expect(entrants().map((e) => e.value)).toEqual(["random", "gaussian process"]);
    expect(options("Strategy of entrant 1")).toContain("parzen density");
    expect(options("Strategy of entrant 1"), "it goes on with what others began").not.toContain("population training");
    expect(options("Early stopping of entrant 2")).toContain("fold race");
  });

  it("says what it will cost, and that a replay costs and measures nothing", async () => {
    await shown();
    expect(cost()).toBe("12 runs, at most 1\u202f800 fits on 2 workers, one run after another in turn.");
    type(at("Repeats"), "3");
    type(at("Budget of each run"), "10");
    expect(cost()).toBe("6 runs, at most 300 fits on 2 workers, one run after another in turn.");
    type(at("What the budget counts"), "seconds");
    expect(cost(), "how many fits go into a minute is not known").toBe("6 runs, one after another in turn.");
    await press("replayed");
    expect(cost()).toMatch(/^6 runs: scores come from a model .+ it is not measured\.$/);
  });

  it("has two entrants at least and eight at most", async () => {
    await shown();
    expect(buttons(/^Leave entrant/), "two are needed").toHaveLength(0);
    for (let more = 0; more < 6; more++) await press("+ another");
    expect(entrants()).toHaveLength(8);
    expect(buttons("+ another")).toHaveLength(0);
    type(at("Strategy of entrant 2"), "parzen density");
    await press("Leave entrant 1 out");
    expect(entrants()[0]!.value, "the others move up").toBe("parzen density");
    expect(entrants()).toHaveLength(7);
  });

  it("does not begin with a budget or repeats that mean nothing", async () => {
    await shown();
    const begin = await button("Set against each other");
    for (const [label, wrong, right] of [
      ["Budget of each run", "1", "2"],
      ["Repeats", "0", "1"],
      ["Repeats", "21", "20"],
    ] as const) {
      type(at(label), wrong);
      expect(begin.hasAttribute("disabled"), `${label}: ${wrong}`).toBe(true);
      fireEvent.submit(at("A new face-off"));
      type(at(label), right);
      expect(begin.hasAttribute("disabled"), `${label}: ${right}`).toBe(false);
    }
    expect(called("POST", "/problems/1/face-offs")).toHaveLength(0);
  });

  it("is sent as it stands, and the server's no is shown at what it is about", async () => {
    on("POST /problems/1/face-offs", () => new No(422, { detail: "Too few trials.", field: "mode", status: 422 }));
    await shown();
    type(at("Early stopping of entrant 2"), "fold race");
    type(await field("What the budget counts"), "fits");
    await press("replayed");
    await press("Set against each other");
    const { body } = await asked("POST", "/problems/1/face-offs");
    expect(body).toEqual({
      ...{ search: search.id, mode: "replayed", budget: "fits", amount: 30, repeats: 6, seed: 1 },
      entrants: [
        { strategy: "random", "early stopping": "none", workers: null },
        { strategy: "gaussian process", "early stopping": "fold race", workers: null },
      ],
    });
    const said = await screen.findByText("Too few trials.");
    expect([said.getAttribute("role"), said.dataset.error]).toEqual(["alert", "mode"]);
  });
});
