/** What the Decision screen computes: axes, the boxes of a drawn tree, thresholds, sizes. */
import { expect, it } from "vitest";
import { boxOf, endsOf, pathOf, place, ticks } from "../src/charts/plotLayout";
import { layTree, BOX, type TreeNode } from "../src/features/decision/drawnTreeLayout";
import { placeOf } from "../src/features/decision/thresholds";
import { bytes } from "../src/lib/format";

it("ticks are round, inside the ends, and few", () => {
  expect(ticks({ low: 0, high: 1 })).toEqual([0, 0.2, 0.4, 0.6, 0.8, 1]);
  expect(ticks({ low: 0.7112, high: 0.7157 })).toEqual([0.712, 0.713, 0.714, 0.715]);
  expect(ticks({ low: -30, high: 64 })).toEqual([-20, 0, 20, 40, 60]);
  expect(ticks({ low: 3, high: 3 })).toEqual([3]);
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

const leaf = (rows: number): TreeNode => ({ rows, value: 1, shares: null, question: null, hidden: 0 });
const ask = (yes: TreeNode, no: TreeNode): TreeNode => ({
  rows: yes.rows + no.rows,
  value: 1,
  shares: null,
  question: "a ≤ 1",
  hidden: 0,
  yes,
  no,
});

it("a tree's boxes never overlap and questions stand between their answers", () => {
  const { boxes, edges, height } = layTree(ask(ask(leaf(1), leaf(2)), leaf(3)));
  expect(boxes.length).toBe(5);
  expect(edges.length).toBe(4);
  for (const [i, a] of boxes.entries())
    for (const b of boxes.slice(i + 1)) expect(a.x !== b.x || Math.abs(a.y - b.y) >= BOX.height + BOX.gap).toBe(true);
  for (const e of edges) expect(e.to.x > e.from.x).toBe(true);
  const root = boxes.find((b) => b.id === "r")!;
  const answers = edges.filter((e) => e.from === root).map((e) => e.to.y);
  expect(root.y).toBe((answers[0]! + answers[1]!) / 2);
  expect(height).toBe(3 * (BOX.height + BOX.gap) - BOX.gap);
});

it("sizes are read at a glance", () => {
  const shown = [0, 999, 1500, 201_000, 12_345_678, null].map(bytes);
  expect(shown).toEqual(["0 B", "999 B", "1.5 kB", "201 kB", "12 MB", "–"]);
});

it("a threshold calls all rows positive that reach it", () => {
  const cuts = { threshold: [null, 0.9, 0.5, 0.1] };
  expect([1, 0.9, 0.7, 0.5, 0].map((t) => placeOf(cuts, t))).toEqual([0, 1, 1, 2, 3]);
});
