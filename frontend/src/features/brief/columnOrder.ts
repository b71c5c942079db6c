/** Which columns are listed, and in what order. */
import type { Column } from "../../api/client";

export const ORDERS = ["as in the file", "name", "type", "most missing"] as const;
export type Order = (typeof ORDERS)[number];

const COMPARE: Record<Order, ((a: Column, b: Column) => number) | null> = {
  "as in the file": null,
  name: (a, b) => a.name.localeCompare(b.name),
  type: (a, b) => a.type.localeCompare(b.type),
  "most missing": (a, b) => b.missing - a.missing,
};

/** Every word of the search stands in a column's name, its type or what was noted about it. */
export function listed(columns: Column[], search: string, order: Order): Column[] {
  const words = search.toLowerCase().split(/\s+/);
  const found = columns.filter((c) => {
    const told = `${c.name} ${c.type} ${c.note} ${c.why}`.toLowerCase();
    return words.every((word) => told.includes(word));
  });
  const compare = COMPARE[order];
  return compare ? [...found].sort(compare) : found;
}
