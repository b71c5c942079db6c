import { describe, expect, it } from "vitest";
import type { Column } from "../../../src/api/client";
import { listed } from "../../../src/features/brief/columnOrder";
import { likelyTargets } from "../../../src/features/brief/TargetPicker";

const column = (name: string, part: Partial<Column> = {}): Column =>
  ({ name, type: "number", distinct: 90, missing: 0, role: "feature", note: "", why: "", ...part }) as Column;
const columns = [
  column("speed", { missing: 4 }),
  column("depot", { type: "category", distinct: 3 }),
  column("id", { role: "ignore", why: "every value once", distinct: 400 }),
  column("late", { type: "yes/no", distinct: 2 }),
  column("always", { distinct: 1 }),
];
const names = (found: Column[]) => found.map((c) => c.name);

describe("the list of columns", () => {
  it("is searched by name, type and what was noted", () => {
    expect(names(listed(columns, "", "as in the file"))).toEqual(names(columns));
    expect(names(listed(columns, "CATEG", "as in the file"))).toEqual(["depot"]);
    expect(names(listed(columns, "id once", "as in the file"))).toEqual(["id"]);
    expect(listed(columns, "nothing", "name")).toEqual([]);
  });

  it("is sorted without losing the file's own order", () => {
    expect(names(listed(columns, "", "name"))).toEqual(["always", "depot", "id", "late", "speed"]);
    expect(names(listed(columns, "", "most missing"))[0]).toBe("speed");
    expect(names(columns)[0]).toBe("speed");
  });

  it("offers labels as targets before numbers, and nothing that cannot be learnt", () => {
    expect(names(likelyTargets(columns))).toEqual(["late", "depot", "speed"]);
  });
});
