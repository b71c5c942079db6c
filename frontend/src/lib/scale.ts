/** Axes of lanes: from a value to a place and back, and what a dragged end may become. */
import type { Setting } from "../api/client";

interface Shared {
  name: string;
  condition?: string; // where it has a value at all
  start?: string | number | boolean; // what the first trial takes
  costly?: boolean;
}
export interface RangeParameter extends Shared {
  kind: "range" | "whole range";
  from: number;
  to: number;
  scale: "linear" | "log";
  step?: number;
  levels?: number;
}
export interface DistributedParameter extends Shared {
  kind: "distribution";
  family: string;
  arguments: number[];
  levels?: number;
}
export interface ChoiceParameter extends Shared {
  kind: "choice" | "yes-no";
  options: { value: string | number | boolean; weight: number }[];
}
export interface FixedParameter extends Shared {
  kind: "fixed";
  value: string | number | boolean;
}
export interface Requirement {
  kind: "requirement";
  expression: string;
}
export type Parameter = RangeParameter | DistributedParameter | ChoiceParameter | FixedParameter;
export type Entry = Parameter | Requirement;

export const isRequirement = (entry: Entry): entry is Requirement => entry.kind === "requirement";

export const isRange = (p: Parameter): p is RangeParameter => p.kind === "range" || p.kind === "whole range";
export const isChoice = (p: Parameter): p is ChoiceParameter => p.kind === "choice" || p.kind === "yes-no";

/** Lanes in reading order: each conditional one right after the lane that switches it on, with its depth. */
export function tucked(
  parameters: Parameter[],
  parents: Record<string, string>,
): { parameter: Parameter; depth: number }[] {
  const found: { parameter: Parameter; depth: number }[] = [];
  const put = (parameter: Parameter, depth: number) => {
    if (found.some((f) => f.parameter === parameter)) return;
    found.push({ parameter, depth });
    for (const child of parameters) if (parents[child.name] === parameter.name) put(child, depth + 1);
  };
  const known = new Set(parameters.map((p) => p.name));
  for (const parameter of parameters) if (!known.has(parents[parameter.name] ?? "")) put(parameter, 0);
  for (const parameter of parameters) put(parameter, 0);
  return found;
}

/** The axis of a distribution, which has no ends of its own: what its draws span, with room. */
export function axisOfDraws(draws: (string | number | boolean)[]): Axis | null {
  const numbers = draws.filter((v) => typeof v === "number");
  if (numbers.length < 2) return null;
  const low = Math.min(...numbers);
  const high = Math.max(...numbers);
  const room = (high - low) * 0.08 || 1;
  return { low: low - room, high: high + room, log: false };
}

export interface Axis {
  low: number;
  high: number;
  log: boolean;
}

const NUMBER = /-?\d+(?:\.\d+)?(?:e[+-]?\d+)?/gi;

/** The ends of a range in space notation, such as a setting's limits; null where it is no range. */
export function endsOf(text: string): [number, number] | null {
  if (!text.includes("..")) return null;
  const [low, high] = text.split("..").map((part) => Number((part.match(NUMBER) ?? [NaN])[0]));
  return low !== undefined && high !== undefined && !Number.isNaN(low) && !Number.isNaN(high) ? [low, high] : null;
}

/** An axis with room on both sides of the range, within what the learner accepts. */
export function axisFor(parameter: RangeParameter, setting: Setting | undefined): Axis {
  const usual = (setting && endsOf(setting.domain)) ?? [parameter.from, parameter.to];
  const limits = (setting && endsOf(setting.limits)) ?? [-Infinity, Infinity];
  const low = Math.min(parameter.from, usual[0]);
  const high = Math.max(parameter.to, usual[1]);
  if (parameter.scale === "log") {
    const room = Math.max((Math.log(high) - Math.log(low)) * 0.18, 0.3);
    const from = Math.exp(Math.log(low) - room);
    return {
      low: Math.max(from, limits[0] > 0 ? limits[0] : from),
      high: Math.min(Math.exp(Math.log(high) + room), limits[1]),
      log: true,
    };
  }
  const room = (high - low) * 0.18;
  return { low: Math.max(low - room, limits[0]), high: Math.min(high + room, limits[1]), log: false };
}

export function toShare(value: number, axis: Axis): number {
  if (axis.log)
    return (Math.log(Math.max(value, 1e-300)) - Math.log(axis.low)) / (Math.log(axis.high) - Math.log(axis.low));
  return (value - axis.low) / (axis.high - axis.low);
}

export function toValue(share: number, axis: Axis): number {
  const x = Math.min(Math.max(share, 0), 1);
  if (axis.log) return Math.exp(Math.log(axis.low) + x * (Math.log(axis.high) - Math.log(axis.low)));
  return axis.low + x * (axis.high - axis.low);
}

/** A value as a person would write it at this place of the axis: two significant digits, whole where it must be. */
export function tidy(value: number, parameter: RangeParameter, axis: Axis): number {
  if (parameter.step)
    return Number(
      (parameter.from + Math.round((value - parameter.from) / parameter.step) * parameter.step).toPrecision(12),
    );
  if (parameter.kind === "whole range") return Math.round(value);
  const grain = axis.log ? value : axis.high - axis.low;
  const digits = Math.max(1 - Math.floor(Math.log10(Math.abs(grain))), 0);
  return Number(value.toFixed(Math.min(digits, 15)));
}

/** Move one end of a range, keeping it a range. */
export function moveEnd(parameter: RangeParameter, end: "from" | "to", wanted: number, axis: Axis): RangeParameter {
  const least = parameter.step ?? (parameter.kind === "whole range" ? 1 : 0);
  const value = Math.min(Math.max(tidy(wanted, parameter, axis), axis.low), axis.high);
  const next = { ...parameter };
  if (end === "from") next.from = Math.min(value, parameter.to - least);
  else next.to = Math.max(value, parameter.from + least);
  if (parameter.kind === "whole range") {
    next.from = Math.ceil(next.from);
    next.to = Math.floor(next.to);
  }
  return next.from < next.to && !(parameter.scale === "log" && next.from <= 0) ? next : parameter;
}

/** Round numbers along an axis: powers of ten and their 2s and 5s on a log axis, a tidy step on a linear one. */
export function ticks(axis: Axis, most = 7): number[] {
  if (axis.log) {
    const from = Math.floor(Math.log10(axis.low));
    const to = Math.ceil(Math.log10(axis.high));
    const parts = to - from > 4 ? [1] : to - from > 2 ? [1, 3] : [1, 2, 5];
    const all = Array.from({ length: to - from + 1 }, (_, i) => parts.map((m) => Number(`${m}e${from + i}`))).flat();
    const inside = all.filter((t) => t >= axis.low * 0.999 && t <= axis.high * 1.001);
    const keep = Math.max(1, Math.ceil(inside.length / most));
    return inside.filter((_, i) => i % keep === 0);
  }
  const rough = (axis.high - axis.low) / most;
  const power = 10 ** Math.floor(Math.log10(rough));
  const step = [1, 2, 5, 10].map((m) => m * power).find((s) => s >= rough) ?? power * 10;
  const first = Math.ceil(axis.low / step) * step;
  return Array.from({ length: Math.floor((axis.high - first) / step + 1e-9) + 1 }, (_, i) =>
    Number((first + i * step).toPrecision(12)),
  );
}
