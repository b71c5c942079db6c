/** Limits as they are written: "predict ms <= 5, recall >= 0.8". */
import type { Problem } from "../api/client";

export const limitsText = (limits: string[]) => limits.join(", ");

export const limitsOf = (text: string) =>
  text
    .split(/[,\n]/)
    .map((part) => part.trim())
    .filter((part) => part !== "");

const COMPLETE = /[<>]=\s*\S|[≤≥]\s*\S/;

/** What a text could go on with: the beginning of a limit on each quantity that has none yet. */
export function completions(quantities: Problem["judging"]["quantities"], text: string): string[] {
  const parts = text.split(",").map((part) => part.trim());
  const open = COMPLETE.test(parts.at(-1)!) ? "" : parts.pop()!;
  const before = parts.filter((part) => part !== "");
  return quantities
    .filter(({ measure }) => measure.startsWith(open) && !before.some((limit) => limit.startsWith(measure)))
    .map(({ measure, larger_is_better }) => limitsText([...before, `${measure} ${larger_is_better ? ">=" : "<="} `]));
}

/** What a list of names, parted by commas, could go on with. */
export function goingOn(names: string[], text: string): string[] {
  const parts = text.split(",").map((part) => part.trim());
  const open = names.includes(parts.at(-1)!) ? "" : parts.pop()!;
  const before = parts.filter((part) => part !== "");
  return names
    .filter((name) => name.startsWith(open) && !before.includes(name))
    .map((name) => limitsText([...before, name]));
}
