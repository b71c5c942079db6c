/** The house is in order: no module imports itself in a circle, none is long, and every test file lies where its source lies. */
import { describe, expect, it } from "vitest";

const LONGEST = 500; // lines
const read = import.meta.glob<string>("../src/**/*.{ts,tsx}", { query: "?raw", import: "default", eager: true });
const texts = new Map(Object.entries(read).map(([path, text]) => [path.replace("../src/", ""), text]));
const tests = Object.keys(import.meta.glob("./**/*.test.{ts,tsx}")).map((path) => path.slice("./".length));
const resolve = (from: string, to: string) => {
  const path = new URL(to, `file:///${from}`).pathname.slice(1);
  return [path, `${path}.ts`, `${path}.tsx`].find((file) => texts.has(file));
};
const importsOf = (file: string, text: string) =>
  [...text.matchAll(/(?:from|import\(|import) ?"(\.[^"]+)"/g)].flatMap((m) => resolve(file, m[1]!) ?? []);

/** One circle in a graph, or null. */
function circle(graph: Map<string, string[]>): string[] | null {
  const done = new Set<string>();
  const walk = (node: string, path: string[]): string[] | null => {
    if (path.includes(node)) return [...path.slice(path.indexOf(node)), node];
    if (done.has(node)) return null;
    for (const next of graph.get(node) ?? []) {
      const found = walk(next, [...path, node]);
      if (found) return found;
    }
    done.add(node);
    return null;
  };
  for (const node of graph.keys()) {
    const found = walk(node, []);
    if (found) return found;
  }
  return null;
}

describe("the sources", () => {
  it("import nothing in a circle", () => {
    const graph = new Map([...texts].map(([file, text]) => [file, importsOf(file, text)]));
    expect([...graph.values()].flat().length, "imports are found").toBeGreaterThan(texts.size);
    expect(circle(graph)).toBeNull();
    const closed = new Map(graph).set("api/client.ts", ["app/routes.tsx"]);
    expect(circle(closed), "the check can fail").toContain("app/routes.tsx");
  });
  it("are short", () => {
    const long = [...texts].filter(([f, t]) => f !== "api/schema.ts" && t.split("\n").length > LONGEST).map(([f]) => f);
    expect(long).toEqual([]);
  });
});

describe("the tests", () => {
  it("mirror their sources, or say by their name that they are of several", () => {
    const SEVERAL = ["house", "api/entries", "charts/layouts"];
    const names = tests.map((file) => file.replace(/\.test\.tsx?$/, ""));
    const astray = names.filter((n) => !SEVERAL.includes(n) && !texts.has(`${n}.ts`) && !texts.has(`${n}.tsx`));
    expect(astray).toEqual([]);
    expect(names.length).toBeGreaterThan(20);
  });
});
