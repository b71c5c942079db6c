/** Where the boxes of a drawn tree stand: leaves side by side, every question above the middle of its answers. Pure. */
import type { Schemas } from "../../api/client";

export type TreeNode = Schemas["TreeNode"];

export interface Placed {
  node: TreeNode;
  x: number; // centre
  y: number; // top
  id: string;
}
export interface Edge {
  from: Placed;
  to: Placed;
  yes: boolean;
}

export const BOX = { width: 116, height: 46, gap: 10, drop: 34 };

export function layTree(root: TreeNode): { boxes: Placed[]; edges: Edge[]; width: number; height: number } {
  const boxes: Placed[] = [];
  const edges: Edge[] = [];
  let next = 0;
  let deepest = 0;
  const lay = (node: TreeNode, level: number, id: string): Placed => {
    deepest = Math.max(deepest, level);
    const placed: Placed = { node, x: 0, y: level * (BOX.height + BOX.drop), id };
    if (node.question !== null && node.yes && node.no) {
      const yes = lay(node.yes, level + 1, `${id}y`);
      const no = lay(node.no, level + 1, `${id}n`);
      placed.x = (yes.x + no.x) / 2;
      edges.push({ from: placed, to: yes, yes: true }, { from: placed, to: no, yes: false });
    } else {
      placed.x = next * (BOX.width + BOX.gap) + BOX.width / 2;
      next += 1;
    }
    boxes.push(placed);
    return placed;
  };
  lay(root, 0, "r");
  return {
    boxes,
    edges,
    width: next * (BOX.width + BOX.gap) - BOX.gap,
    height: (deepest + 1) * (BOX.height + BOX.drop) - BOX.drop,
  };
}
