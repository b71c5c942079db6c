import type { Points, Search } from "../../api/client";

type Value = string | number | boolean | null | undefined;

/** Names of the searched settings, those first that differ most from the best trial's; all of them in their order where none is best. */
export function differing(
  search: Pick<Search, "parameters" | "best">,
  points: Points | undefined,
  own: Record<string, Value>,
): string[] {
  const searched = search.parameters.filter((p) => p.kind !== "fixed" && p.kind !== "requirement");
  const names = searched.map((p) => String(p.name));
  const at = points && search.best ? points.ids.indexOf(search.best.trial_id) : -1;
  if (!points || at < 0) return names;
  const apart = new Map(
    searched.map((p) => [String(p.name), distance(p, own[String(p.name)], points.values[String(p.name)]?.[at])]),
  );
  return [...names].sort((a, b) => apart.get(b)! - apart.get(a)!);
}

/** How far two values are apart, as a share of the range; another choice is as far as can be. */
function distance(p: Record<string, unknown>, one: Value, other: Value): number {
  if (one === other) return 0;
  const { from, to } = p;
  if (typeof one !== "number" || typeof other !== "number" || typeof from !== "number" || typeof to !== "number")
    return 1;
  const on = (value: number) => (p.scale === "log" ? Math.log(value) : value);
  return Math.abs(on(one) - on(other)) / Math.max(on(to) - on(from), 1e-12);
}
