/** Two measures against each other: what stands at the edge, what the ring is about, weights by hand. */
import { fireEvent, render, screen } from "@testing-library/react";
import { createMemoryRouter, RouterProvider } from "react-router";
import { describe, expect, it, vi } from "vitest";
import type { Problem } from "../../../src/api/client";
import type { Finalist, Finalists } from "../../../src/api/decisions";
import type { Picked } from "../../../src/features/decision/bench";
import { TradeOff } from "../../../src/features/decision/TradeOff";
import { answer, at, type } from "../../stand";

const problem = answer<Problem>("GET /api/v1/problems/1");
const recorded = answer<Finalists>("GET /api/v1/problems/1/finalists");
const baseline = recorded.finalists.find((f) => f.is_baseline)!;
const [one, two, three] = recorded.finalists.filter((f) => !f.is_baseline) as [Finalist, Finalist, Finalist];
const scored = (f: Finalist, mean: number, beside: number | null, more = {}): Finalist => ({
  ...f,
  ...more,
  beside,
  trial: { ...f.trial, mean },
});
const finalists = [scored(one, 0.9, 4), scored(two, 0.8, 1), scored(three, 0.7, 3), scored(baseline, 0.1, 500)];
const found = { ...recorded, finalists, front: [one.trial.id, two.trial.id], beside: "fit seconds", decides: [] };

function shown(more: Partial<Finalists> = {}, query = "?beside=fit+seconds") {
  const pick = vi.fn<(picked: Picked) => void>();
  const all = { ...found, ...more };
  const router = createMemoryRouter(
    [{ path: "/", element: <TradeOff {...{ problem, pick }} found={all} chosen={all.finalists[0]!} /> }],
    { initialEntries: [`/${query}`] },
  );
  render(<RouterProvider router={router} />);
  return { pick, query: () => new URLSearchParams(router.state.location.search) };
}
const dot = (f: Finalist) => document.querySelector<SVGCircleElement>(`[data-dot="${f.trial.id}"]`)!;
const place = (f: Finalist) => ["cx", "cy"].map((k) => Number(dot(f).getAttribute(k)));

describe("a trade-off", () => {
  it("asks for a second measure first, and says where none is known", () => {
    shown({ beside: null }, "");
    expect(screen.getByText(/choose what else matters/i)).toBeTruthy();
    expect(document.querySelectorAll("[data-dot]")).toHaveLength(0);
  });

  it("leaves out who has no such measure, and says so where that is everybody", () => {
    shown({ finalists: [...finalists.slice(0, 2), scored(three, 0.7, null)] });
    expect(document.querySelectorAll("[data-dot]")).toHaveLength(2);
    shown({ finalists: finalists.map((f) => ({ ...f, beside: null })), front: [] });
    expect(screen.getByText(/No finalist has this measure/)).toBeTruthy();
  });

  it("draws a baseline that is far off at the edge, and says that it lies beyond", () => {
    shown();
    const [x] = place(baseline);
    expect(x, "no further than the costliest with its room").toBeLessThan(2 * place(one)[0]!);
    expect(dot(baseline).querySelector("title")!.textContent).toMatch(/beyond the edge\)$/);
    expect(dot(one).querySelector("title")!.textContent).not.toMatch(/beyond/);
    expect(place(two)[0], "what costs less is further left").toBeLessThan(place(three)[0]!);
    expect(place(one)[1], "what scores more is further up").toBeLessThan(place(two)[1]!);
    const ring = dot(baseline).getAttribute("stroke-dasharray");
    expect([ring, dot(one).getAttribute("stroke-dasharray")]).toEqual(["2 2", null]);
  });

  it("tells of whoever is pointed at, else of the chosen one, and chooses by a click", () => {
    const { pick } = shown();
    const line = () => document.querySelector(".row.small > span:last-child")!.textContent;
    expect(line()).toMatch(new RegExp(`^trial ${one.trial.number} of search .*: 0\\.900.*fit seconds 4\\.0 s$`));
    fireEvent.mouseEnter(dot(two));
    expect(line()).toContain(`trial ${two.trial.number} of search`);
    fireEvent.mouseLeave(dot(two));
    expect(line()).toContain(`trial ${one.trial.number} of search`);
    fireEvent.click(dot(three));
    expect(pick).toHaveBeenCalledWith({ trial: three.trial.id, rule: "by hand" });
  });

  it("says when there is nothing to trade", () => {
    shown({ front: [one.trial.id] });
    expect(screen.getByText(/best on both measures: there is nothing to trade/)).toBeTruthy();
  });

  it("fades who keeps a limit not", () => {
    shown({ finalists: [finalists[0]!, scored(two, 0.8, 1, { admitted: false })] });
    expect([dot(one), dot(two)].map((d) => d.getAttribute("opacity"))).toEqual(["1", "0.35"]);
  });

  it("takes weights by a slider between two metrics, and rings who is best by them", () => {
    const measures = [
      { key: "accuracy", label: "accuracy ↑", larger_is_better: true },
      { key: "predict ms", label: "predict ms ↓", larger_is_better: false },
    ] as unknown as Finalists["decides"];
    const byWeights = { rule: "weights", trial_id: two.trial.id } as unknown as Finalists["suggestions"][number];
    const { query } = shown({ decides: measures, suggestions: [byWeights] }, "?beside=fit+seconds&weights=1+3");
    expect(at<HTMLInputElement>("Weight of the score").value).toBe("25");
    expect(screen.getByText("25 : 75, the ring")).toBeTruthy();
    expect(document.querySelector("[data-weighed]")!.getAttribute("data-weighed")).toBe(String(two.trial.number));
    type(at("Weight of the score"), "60");
    expect(query().get("weights")).toBe("60 40");
  });

  it("takes the weights of three metrics as they are written", () => {
    const three_ = ["accuracy", "recall", "predict ms"].map((key) => ({ key, label: key, larger_is_better: true }));
    const { query } = shown({ decides: three_ as unknown as Finalists["decides"] });
    const written = at<HTMLInputElement>("Weights");
    type(written, " 2 1 1 ");
    fireEvent.blur(written);
    expect(query().get("weights")).toBe("2 1 1");
    type(written, "");
    fireEvent.blur(written);
    expect(query().get("weights"), "no weights are no weights").toBeNull();
  });
});
