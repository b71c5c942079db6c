/** Numbers as people type them: read as they stand, or said to be wrong; never made into another number. */
export interface AmountRule {
  whole?: boolean;
  least?: number;
  most?: number;
  empty?: boolean; // nothing is an answer too
}

const PLAIN = /^-?(0|[1-9]\d*)(\.\d+)?(e-?\d{1,3})?$/i;
const WHOLE = /^-?(0|[1-9]\d*)$/;

/** The number that a text says, "" where it says nothing and may, NaN where it is wrong. */
export function readAmount(text: string, rule: AmountRule): number | "" {
  const bare = text.trim();
  if (bare === "") return rule.empty ? "" : NaN;
  if (!(rule.whole ? WHOLE : PLAIN).test(bare)) return NaN;
  const value = Number(bare);
  const inside = value >= (rule.least ?? -Infinity) && value <= (rule.most ?? Infinity);
  return inside && Math.abs(value) <= Number.MAX_SAFE_INTEGER ? value : NaN;
}

/** What would be right, in words. */
export function wanted({ whole, least, most, empty }: AmountRule): string {
  const kind = whole ? "a whole number, written out" : "a number";
  const ends =
    least !== undefined && most !== undefined
      ? ` from ${least} to ${most}`
      : least !== undefined
        ? `, ${least} or more`
        : "";
  return `${kind}${ends}${empty ? ", or nothing" : ""}`;
}

export const isWrong = (value: number | "" | null) => typeof value === "number" && Number.isNaN(value);
