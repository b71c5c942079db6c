/** A change of a space and a plan that a finding proposes, carried from Evidence to Space. */
import type { Scalar } from "../api/client";

export interface Change {
  lines: { name: string; before: string; after: string }[];
  requirements: string[];
  plan: Record<string, Scalar>;
}

/** What the state of the address carries: the change, and the space that it was found in. */
export interface Carried extends Change {
  learner: string;
  space: string;
}

export const carriedBy = (state: unknown): Carried | null => (state as { change?: Carried } | null)?.change ?? null;

/** The text with one parameter's line replaced; an empty line takes it out. */
export function replaceLine(text: string, name: string, line: string): string {
  const lines = text.split("\n").map((l) => (l.split(":")[0]!.trim() === name ? line : l));
  return lines.filter((l, i) => l !== "" || i === lines.length - 1).join("\n");
}

/** What stands behind a line as a remark, with the room before it. */
const remarkOf = (text: string, name: string) =>
  /\s*#.*$/.exec(text.split("\n").find((line) => line.split(":")[0]!.trim() === name) ?? "")?.[0] ?? "";

/** A space's text with the change made. */
export function changed(text: string, change: Change): string {
  const lines = change.lines.reduce(
    (held, line) => replaceLine(held, line.name, line.after && line.after + remarkOf(held, line.name)),
    text,
  );
  return [lines.replace(/\s*$/, ""), ...change.requirements.map((one) => `require ${one}`)].join("\n") + "\n";
}
