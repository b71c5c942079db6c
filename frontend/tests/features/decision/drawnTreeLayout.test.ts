import { expect, it } from "vitest";
import { BOX, type TreeNode, layTree } from "../../../src/features/decision/drawnTreeLayout";

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
