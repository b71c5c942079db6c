/** Before the first page: modules are loaded once for all of them, so what stands in for another must be known before any is. */
import { afterEach, beforeEach, vi } from "vitest";
import { begin, end } from "./stand";

// The chart library draws on a real canvas only; what it is told to draw is tested in bestCurveOption.test.ts.
vi.mock("../src/charts/BestCurve", async () => await import("./NoCurve"));

beforeEach(begin);
afterEach(end);
