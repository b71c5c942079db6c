/** Limits as they are written: "predict ms <= 5, recall >= 0.8". */
import type { Problem } from "../api/client";

export const limitsText = (limits: string[]) => limits.join(", ");

export const limitsOf = (text: string) =>
  text
    .split(/[,\n]/)
    .map((part) => part.trim())
    .filter((part) => part !== "");

/** What may still be limited, each as the beginning of a limit. */
export function beginnings(quantities: Problem["judging"]["quantities"], text: string): string[] {
  const taken = limitsOf(text);
  return quantities
    .filter(({ measure }) => !taken.some((limit) => limit.startsWith(measure)))
    .map(({ measure, larger_is_better }) => `${measure} ${larger_is_better ? ">=" : "<="} `);
}

/** A text with one more limit begun. */
export const withBeginning = (text: string, beginning: string) =>
  text.trim() === "" ? beginning : `${text.trim().replace(/,$/, "")}, ${beginning}`;
