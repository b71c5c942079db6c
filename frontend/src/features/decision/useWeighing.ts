import { useCallback } from "react";
import { useSearchParams } from "react-router";
import type { Weighing } from "../../api/decisions";

export const VIEWS = ["finalists", "trade-off", "against the baseline", "holdout", "take away"] as const;
export type View = (typeof VIEWS)[number];

const number = (text: string | null) =>
  text !== null && text !== "" && Number.isFinite(Number(text)) ? Number(text) : null;

/** What is looked at and how it is weighed, kept in the address: every state of the screen has a link. */
export function useWeighing() {
  const [query, setQuery] = useSearchParams();
  const view = VIEWS.find((v) => v === query.get("view")) ?? "finalists";
  const weighing: Weighing = {
    top: number(query.get("top")) ?? 10,
    cost: query.get("cost") ?? "fit seconds",
    region: number(query.get("region")),
    beside: query.get("beside"),
    weights: query.get("weights"),
    of: number(query.get("of")),
    limitOn: query.get("limit_on"),
    limit: number(query.get("limit")),
  };
  const set = useCallback(
    (changes: Record<string, string | number | null>) =>
      setQuery(
        (held) => {
          for (const [key, value] of Object.entries(changes))
            if (value === null) held.delete(key);
            else held.set(key, String(value));
          return held;
        },
        { replace: !("view" in changes) },
      ),
    [setQuery],
  );
  return { view, weighing, set };
}
