import type { Schemas } from "../api/client";
import { plural } from "./format";

type Remembered = Schemas["RememberedView"];

/** The earlier problems that a search learns from, in a few words: the most alike by name, the others counted. */
export function taughtBy(remembered: Remembered[]): string {
  const [first, second, ...rest] = remembered.map((one) => one.name);
  if (first === undefined) return "";
  if (second === undefined) return first;
  return rest.length === 0 ? `${first} and ${second}` : `${first} and ${plural(rest.length + 1, "other problem")}`;
}

/** Each with its share, for a title. */
export const taughtEach = (remembered: Remembered[]) =>
  remembered
    .map((one) => `${one.name}: ${plural(one.trials, "trial")}, ${Math.round(one.likeness * 100)} % alike`)
    .join("\n");
