/** A search that several metrics decide in: its front is drawn, asked for again as trials end, and picked from. */
import { fireEvent, screen, waitFor } from "@testing-library/react";
import { expect, it } from "vitest";
import type { Search } from "../../../src/api/client";
import type { Front } from "../../../src/api/searches";
import { answer, called, on, open, press } from "../../stand";

const point = (number: number, values: number[], on_front: boolean, origin = "proposed") => ({
  ...{ trial_id: 100 + number, number, origin, values, on_front, keeps: null },
});
const front: Front = {
  aims: [
    { measure: "average precision", larger_is_better: true },
    { measure: "predict ms", larger_is_better: false },
  ],
  points: [point(0, [0.4, 30], false, "baseline"), point(1, [0.6, 12], true), point(2, [0.5, 4], true)],
  ...{ scored: 3, reference: [0.39, 33], knee: 101 },
  course: [
    [1, 0.1],
    [2, 0.5],
    [3, 0.75],
  ],
};
const several = (change: Partial<Search> = {}) =>
  on("GET /problems/1/searches", () =>
    answer<Search[]>("GET /api/v1/problems/1/searches").map((s) =>
      s.id === 2 ? { ...s, against: [{ measure: "predict ms", larger_is_better: false }], ...change } : s,
    ),
  );

it("draws the front, how much it covers beside random draws, and leads to a trial", async () => {
  several();
  on("GET /searches/2/front", () => front);
  on("GET /searches/2/front/random", () => ({ course: [[3, 0.4]] }));
  open("/p/1/live?search=2");
  await screen.findByText("The front");
  await waitFor(() => expect(document.querySelectorAll("[data-front-dot]")).toHaveLength(3));
  expect(document.querySelectorAll("[data-on-front]")).toHaveLength(2);
  expect(document.querySelector("[data-covered]")!.textContent).toBe("75 %; random draws about 40 %");
  expect(screen.getByText(/The knee is trial 1: average precision 0\.6\d*, predict ms 12/)).toBeTruthy();
  expect(called("GET", "/searches/2/front/random")).toHaveLength(1);
  fireEvent.click(document.querySelector("[data-front-dot='2']")!);
  await waitFor(() => expect(called("GET", "/trials/102")).toHaveLength(1));
  await press("best");
  await screen.findByText("Best so far");
});

it("says why there is no front yet", async () => {
  several({ limits: [{ text: "predict ms <= 1", measure: "predict ms", at_least: false, bound: 1 }], keeping: 0 });
  on("GET /searches/2/front", () => ({ ...front, points: [], reference: null, course: [], knee: null }));
  on("GET /searches/2/front/random", () => ({ course: [] }));
  open("/p/1/live?search=2");
  await screen.findByText(/No scored trial keeps the limits yet/);
});
