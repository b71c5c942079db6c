import { afterEach, beforeEach, expect, test, vi } from "vitest";
import { paced, restAfter } from "../../src/api/pace";

beforeEach(() => void vi.useFakeTimers());
afterEach(() => void vi.useRealTimers());

test("what comes in is handed on together, and the more it costs the longer the page rests", () => {
  const turns: { at: number; things: number[] }[] = [];
  const begun = performance.now();
  let cost = 0;
  const pace = paced<number>(
    (things) => turns.push({ at: performance.now() - begun, things }),
    (then) => void setTimeout(then, cost),
  );
  pace.add([1]);
  pace.add([2, 3]);
  vi.advanceTimersByTime(119);
  expect(turns).toEqual([]);
  cost = 134;
  vi.advanceTimersByTime(1);
  pace.add([4]);
  vi.advanceTimersByTime(134 + 899);
  expect(turns).toEqual([{ at: 120, things: [1, 2, 3] }]);
  pace.add([5]);
  vi.advanceTimersByTime(1);
  expect(turns[1]).toEqual({ at: 120 + 134 + 900, things: [4, 5] });
  pace.add([6]);
  pace.stop();
  vi.advanceTimersByTime(10_000);
  expect(turns.length).toBe(2);
});

test("a page that is quick keeps its eight updates a second, a slow one never waits more than three seconds", () => {
  expect([0, 34, 40, 134, 5000].map(restAfter)).toEqual([120, 120, 120, 900, 3000]);
});
