/** Numbers as people read them. */

/** A score with as many decimals as its standard error supports: two significant digits of the error. */
export function score(
  value: number | null | undefined,
  error?: number | null,
  beside: (number | null | undefined)[] = [],
): string {
  if (value === null || value === undefined) return "–";
  return value.toFixed(decimalsApart(value, error, beside));
}

/** `0.842 ± 0.012`; beside others, with as many decimals as it takes to tell it from them. */
export function withError(
  value: number | null | undefined,
  error?: number | null,
  beside: (number | null | undefined)[] = [],
): string {
  if (value === null || value === undefined) return "–";
  const digits = decimalsApart(value, error, beside);
  return error ? `${value.toFixed(digits)} ± ${error.toFixed(decimals(value, error))}` : value.toFixed(digits);
}

const MOST_DECIMALS = 9;

/** Two scores that differ are never told apart by digits that are not shown. */
function decimalsApart(value: number, error: number | null | undefined, beside: (number | null | undefined)[]): number {
  let digits = decimals(value, error);
  const same = (other: number | null | undefined) =>
    other !== null && other !== undefined && other !== value && other.toFixed(digits) === value.toFixed(digits);
  while (digits < MOST_DECIMALS && beside.some(same)) digits += 1;
  return digits;
}

function decimals(value: number, error?: number | null): number {
  if (error && error > 0) return Math.min(Math.max(1 - Math.floor(Math.log10(error)), 0), 6);
  const size = Math.abs(value);
  return size >= 100 ? 1 : size >= 1 ? 3 : 4;
}

/** A number in few characters; whole numbers stay whole. */
export function figure(value: number): string {
  if (Number.isInteger(value) && Math.abs(value) < 1e6) return value.toLocaleString("en").replace(/,/g, "\u202f");
  const size = Math.abs(value);
  if (size !== 0 && (size < 1e-3 || size >= 1e6)) return value.toExponential(1).replace("e+", "e");
  return String(Number(value.toPrecision(3)));
}

export function count(value: number): string {
  return value.toLocaleString("en").replace(/,/g, "\u202f");
}

/** `4 min 10 s`, `0.3 s`, `2 h 5 min`. */
export function duration(seconds: number | null | undefined): string {
  if (seconds === null || seconds === undefined) return "–";
  if (seconds < 1) return `${Math.round(seconds * 1000)} ms`;
  if (seconds < 10) return `${seconds.toFixed(1)} s`;
  const whole = Math.round(seconds);
  if (whole < 60) return `${whole} s`;
  if (whole < 3600) return `${Math.floor(whole / 60)} min ${whole % 60} s`;
  return `${Math.floor(whole / 3600)} h ${Math.round((whole % 3600) / 60)} min`;
}

export function configurations(total: number | null | undefined): string {
  if (total === null || total === undefined) return "continuous";
  return `${total >= 1e6 ? total.toExponential(1).replace("e+", "e") : count(total)} configurations`;
}

export function scalar(value: string | number | boolean | null | undefined): string {
  if (value === null || value === undefined) return "–";
  if (typeof value === "boolean") return value ? "yes" : "no";
  return typeof value === "number" ? figure(value) : value;
}

export const percent = (share: number) => `${Math.round(share * 100)} %`;

export const plural = (n: number, one: string, many = `${one}s`) => `${count(n)} ${n === 1 ? one : many}`;

/** `3.4 kB`, `12 MB`. */
export function bytes(size: number | null | undefined): string {
  if (size === null || size === undefined) return "–";
  if (size < 1000) return `${size} B`;
  const power = Math.min(Math.floor(Math.log10(size * 1.0005) / 3), 3); // 999.5 kB is 1.0 MB
  const value = size / 1000 ** power;
  return `${value >= 9.95 ? Math.round(value) : value.toFixed(1)} ${["B", "kB", "MB", "GB"][power]}`;
}

/** `29 Nov 2026`, of seconds since 1970. */
export const day = (at: number) =>
  new Date(1000 * at).toLocaleDateString("en-GB", { day: "numeric", month: "short", year: "numeric" });
