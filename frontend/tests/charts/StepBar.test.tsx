import { render } from "@testing-library/react";
import { expect, it } from "vitest";
import type { Step } from "../../src/api/evidence";
import { StepBar, stairLayout } from "../../src/charts/StepBar";

const step = (score: number, gain: number, measured: number | null = null): Step => ({
  changed: [],
  configuration: {},
  score,
  gain,
  error: 0.01,
  measured,
  measured_error: null,
  trial_id: null,
});

it("each step begins where the one before ended, whichever way is better", () => {
  const up = [step(0.6, 0.1), step(0.8, 0.2, 0.9)];
  const rising = stairLayout(up, true);
  expect(rising.before.map((v) => Math.round(10 * v) / 10)).toEqual([0.5, 0.6]);
  expect(rising.ends.high).toBeGreaterThan(0.9);
  const falling = stairLayout([step(4, 1), step(3, 1)], false);
  expect(falling.before).toEqual([5, 4]);
  expect(falling.at(step(3, 1))).toEqual([4, 3]);
});

it("what was measured is a filled dot, what makes it worse is of another colour", () => {
  const steps = [step(0.6, 0.1), step(0.5, -0.1, 0.55)];
  const scale = stairLayout(steps, true);
  const [better, worse] = steps.map((one) => render(<StepBar step={one} scale={scale} />).container);
  expect(better!.querySelector("circle")).toBeNull();
  expect(worse!.querySelector("circle")).toBeTruthy();
  expect(better!.querySelector("rect")!.getAttribute("fill")).not.toBe(
    worse!.querySelector("rect")!.getAttribute("fill"),
  );
});
