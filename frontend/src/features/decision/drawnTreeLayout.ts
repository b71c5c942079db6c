/** Where the boxes of a drawn tree stand: leaves one below the other, every question left of its answers. Pure. */
import type { Schemas } from "../../api/client";

export type TreeNode = Schemas["TreeNode"];

export interface Placed {
  node: TreeNode;
  x: number; // left
  y: number; // middle
  id: string;
}
export interface Edge {
  from: Placed;
  to: Placed;
  yes: boolean;
}

export const BOX = { width: 118, height: 34, gap: 6, run: 24 };

export function layTree(root: TreeNode): { boxes: Placed[]; edges: Edge[]; width: number; height: number } {
  const boxes: Placed[] = [];
  const edges: Edge[] = [];
  let next = 0;
  let deepest = 0;
  const lay = (node: TreeNode, level: number, id: string): Placed => {
    deepest = Math.max(deepest, level);
    const placed: Placed = { node, x: level * (BOX.width + BOX.run), y: 0, id };
    if (node.question !== null && node.yes && node.no) {
      const yes = lay(node.yes, level + 1, `${id}y`);
      const no = lay(node.no, level + 1, `${id}n`);
      placed.y = (yes.y + no.y) / 2;
      edges.push({ from: placed, to: yes, yes: true }, { from: placed, to: no, yes: false });
    } else {
      placed.y = next * (BOX.height + BOX.gap) + BOX.height / 2;
      next += 1;
    }
    boxes.push(placed);
    return placed;
  };
  lay(root, 0, "r");
  return {
    boxes,
    edges,
    width: (deepest + 1) * (BOX.width + BOX.run) - BOX.run,
    height: next * (BOX.height + BOX.gap) - BOX.gap,
  };
}
