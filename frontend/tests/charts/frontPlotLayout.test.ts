import { expect, it } from "vitest";
import { frontEnds, shore, within } from "../../src/charts/frontPlotLayout";

const dot = (id: number, score: number, cost: number, on_front = true) => ({ id, values: [score, cost], on_front });
const dots = [dot(1, 0.9, 30), dot(2, 0.8, 10), dot(3, 0.5, 5), dot(4, 0.4, 80, false)];

it("the shore is the steps of the front, from the reference point on", () => {
  const corners = shore(dots, [0.3, 40], [1, 0], [false, true]);
  expect(corners[0]).toEqual([40, 0.3]);
  expect(corners).toContainEqual([10, 0.8]);
  expect(corners).toContainEqual([30, 0.9]);
  const area = corners.reduce((sum, [x, y], i) => {
    const [a, b] = corners[(i + 1) % corners.length]!;
    return sum + x * b - a * y;
  }, 0);
  expect(Math.abs(area) / 2, "what the three cover together").toBeCloseTo(10 * 0.6 + 20 * 0.5 + 5 * 0.2, 9);
});

it("of three metrics the outermost in two of them bound the shore", () => {
  const three = [
    { id: 1, values: [0.9, 30, 1], on_front: true },
    { id: 2, values: [0.8, 35, 9], on_front: true }, // behind the first in these two
  ];
  expect(shore(three, [0.3, 40, 0], [1, 0], [false, true])).not.toContainEqual([35, 0.8]);
});

it("the ends are those of the front; what lies far behind it is drawn at the edge", () => {
  const ends = frontEnds(dots, [0.3, 40], 1);
  expect(ends.low).toBeLessThan(5);
  expect(ends.high).toBeLessThan(50);
  expect(within(80, ends)).toBe(ends.high);
  expect(frontEnds(dots, null, 1).high, "without a reference point all that there is").toBeGreaterThan(80);
});
