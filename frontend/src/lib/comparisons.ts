/** Filters of trials, `rate < 0.1, kind != q`: the server's language, read here so that charts keep the same trials as the table. */
import type { Points, Scalar } from "../api/client";

const COMPARISON = /^\s*([^\s<>=!][^<>=!]*?)\s*(<=|>=|!=|=|<|>)\s*(.+?)\s*$/;

export interface Comparison {
  name: string;
  sign: "<=" | ">=" | "!=" | "=" | "<" | ">";
  text: string;
}

/** The comparisons of a filter; what is none is left out: the server says what is wrong with it. */
export function comparisons(where: string): Comparison[] {
  return where.split(",").flatMap((part) => {
    const found = COMPARISON.exec(part);
    return found ? [{ name: found[1]!, sign: found[2] as Comparison["sign"], text: found[3]! }] : [];
  });
}

const written = (all: Comparison[]) => all.map((c) => `${c.name} ${c.sign} ${c.text}`).join(", ");
const exact = (value: number) => String(Number(value.toPrecision(6)));

/** The filter with a setting kept to a stretch, or to no stretch any more. */
export function withStretch(where: string, name: string, stretch: [number, number] | null): string {
  const others = comparisons(where).filter((c) => c.name !== name);
  const own: Comparison[] = stretch
    ? [
        { name, sign: ">=", text: exact(stretch[0]) },
        { name, sign: "<=", text: exact(stretch[1]) },
      ]
    : [];
  return written([...others, ...own]);
}

/** The filter with options of a setting left out. */
export function withoutOptions(where: string, name: string, left: Scalar[]): string {
  const others = comparisons(where).filter((c) => c.name !== name);
  return written([...others, ...left.map((value): Comparison => ({ name, sign: "!=", text: word(value) }))]);
}

/** The stretch that a setting is kept to; an end that is open is infinite. Null where it is kept to none. */
export function stretchOf(where: string, name: string): [number, number] | null {
  const own = comparisons(where).filter((c) => c.name === name && /^[<>]=?$/.test(c.sign));
  if (own.length === 0) return null;
  let [low, high] = [-Infinity, Infinity];
  for (const c of own) {
    const value = Number(c.text);
    if (Number.isNaN(value)) continue;
    if (c.sign.startsWith(">")) low = Math.max(low, value);
    else high = Math.min(high, value);
  }
  return [low, high];
}

const word = (value: Scalar) => (typeof value === "boolean" ? (value ? "yes" : "no") : String(value));

type Column = ArrayLike<Scalar | null>;

/** What a name in a filter stands for in the charts' columns. */
function column(points: Points, name: string, larger: boolean, metric: string): Column | null {
  if (name in points.values) return points.values[name]!;
  switch (name.toLowerCase()) {
    case "number":
    case "trial":
      return points.numbers;
    case "mean":
    case metric.toLowerCase():
      return points.means;
    case "score":
      return larger ? points.means : points.means.map((mean) => (mean === null ? null : -mean));
    case "error":
    case "standard_error":
      return points.standard_errors;
    case "seconds":
    case "cost":
      return points.seconds;
    case "state":
      return points.states;
    case "origin":
      return points.origins;
    default:
      return null;
  }
}

type Numbers = { at: Float64Array; texts: boolean };
const numbers = new WeakMap<Column, Numbers>();

/** A column as numbers, made once: a brush asks for it at every frame. Texts and what is missing are no numbers. */
function asNumbers(values: Column): Numbers {
  let found = numbers.get(values);
  if (!found) {
    const at = new Float64Array(values.length);
    let texts = false;
    for (let i = 0; i < at.length; i++) {
      const value = values[i];
      texts ||= typeof value === "string";
      at[i] = value === null || value === undefined || typeof value === "string" ? NaN : Number(value);
    }
    numbers.set(values, (found = { at, texts }));
  }
  return found;
}

/** Which trials a filter keeps: 1 where it does. A name that the charts know nothing of keeps all. */
export function keptBy(
  points: Points,
  where: string,
  larger: boolean,
  metric: string,
  picked: Set<number> | null,
): Uint8Array {
  const kept = new Uint8Array(points.ids.length).fill(1);
  if (picked) for (let i = 0; i < kept.length; i++) if (!picked.has(points.ids[i]!)) kept[i] = 0;
  for (const { name, sign, text } of comparisons(where)) {
    const values = column(points, name, larger, metric);
    if (!values) continue;
    const bare = text.replace(/^["']|["']$/g, "");
    const { at, texts } = asNumbers(values);
    if (texts) keepTexts(kept, values, sign, bare);
    else keepNumbers(kept, at, sign, bare === "yes" ? 1 : bare === "no" ? 0 : Number(bare));
  }
  return kept;
}

/** One loop for each sign: asked within the loop it would cost more than all the rest. What is missing is kept by none. */
function keepNumbers(kept: Uint8Array, at: Float64Array, sign: Comparison["sign"], wanted: number) {
  const count = kept.length;
  if (sign === "<") for (let i = 0; i < count; i++) kept[i]! &= +(at[i]! < wanted);
  else if (sign === "<=") for (let i = 0; i < count; i++) kept[i]! &= +(at[i]! <= wanted);
  else if (sign === ">") for (let i = 0; i < count; i++) kept[i]! &= +(at[i]! > wanted);
  else if (sign === ">=") for (let i = 0; i < count; i++) kept[i]! &= +(at[i]! >= wanted);
  else if (sign === "=") for (let i = 0; i < count; i++) kept[i]! &= +(at[i] === wanted);
  else for (let i = 0; i < count; i++) kept[i]! &= +(at[i] === at[i] && at[i] !== wanted);
}

function keepTexts(kept: Uint8Array, values: Column, sign: Comparison["sign"], wanted: string) {
  for (let i = 0; i < kept.length; i++) {
    const value = values[i];
    if (value === null || value === undefined) kept[i] = 0;
    else kept[i]! &= Number(holds(String(value), sign, wanted));
  }
}

function holds(value: string, sign: Comparison["sign"], wanted: string): boolean {
  switch (sign) {
    case "<":
      return value < wanted;
    case "<=":
      return value <= wanted;
    case ">":
      return value > wanted;
    case ">=":
      return value >= wanted;
    case "=":
      return value === wanted;
    case "!=":
      return value !== wanted;
  }
}
