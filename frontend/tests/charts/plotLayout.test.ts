import { expect, it } from "vitest";
import { boxOf, endsOf, pathOf, place, tickWords, ticks } from "../../src/charts/plotLayout";

it("ticks are round, inside the ends, and few", () => {
  expect(ticks({ low: 0, high: 1 })).toEqual([0, 0.2, 0.4, 0.6, 0.8, 1]);
  expect(ticks({ low: 0.7112, high: 0.7157 })).toEqual([0.712, 0.713, 0.714, 0.715]);
  expect(ticks({ low: -30, high: 64 })).toEqual([-20, 0, 20, 40, 60]);
  expect(ticks({ low: 3, high: 3 })).toEqual([3]);
});

it("no two ticks are written the same", () => {
  for (const ends of [
    { low: 0.93121, high: 0.93142 },
    { low: -2, high: 3 },
    { low: 0, high: 1e-7 },
    { low: 120, high: 125 },
    { low: 0, high: 5e6 },
  ]) {
    const words = ticks(ends).map(tickWords(ends));
    expect(new Set(words).size).toBe(words.length);
  }
  expect(tickWords({ low: 0, high: 1 })(0.2)).toBe("0.2");
});

it("ends leave room, also around a single value and around nothing", () => {
  const { low, high } = endsOf([2, 4], 0.1);
  expect(Math.abs(low - 1.8) < 1e-9 && Math.abs(high - 4.2) < 1e-9).toBe(true);
  const one = endsOf([5]);
  expect(one.low < 5 && one.high > 5).toBe(true);
  expect(endsOf([])).toEqual({ low: 0, high: 1 });
  const box = boxOf(200, 100);
  expect(place(2, { low: 2, high: 4 }, box.left, box.right)).toBe(box.left);
  expect(
    pathOf([
      [1, 2],
      [3.04, 4],
    ]),
  ).toBe("M1.0 2.0L3.0 4.0");
});
