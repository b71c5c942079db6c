import { useCallback, useMemo } from "react";
import { useSearchParams } from "react-router";

export const VIEWS = ["findings", "lanes", "surface", "trials", "face-off"] as const;
export type View = (typeof VIEWS)[number];
const MOST_PICKED = 300; // what an address can hold

/** What is looked at, kept in the address: the view, whose trials, a filter and trials picked by hand; the same in every view. */
export function useSelection() {
  const [query, setQuery] = useSearchParams();
  const named = VIEWS.find((view) => view === query.get("view"));
  const together = query.get("of") === "all";
  const where = query.get("where") ?? "";
  const listed = query.get("picked");
  const picked = useMemo(() => (listed ? listed.split(",").map(Number).filter(Number.isInteger) : null), [listed]);
  const put = useCallback(
    (changes: Record<string, string | null>) =>
      setQuery(
        (held) => {
          for (const [key, value] of Object.entries(changes))
            if (value === null || value === "") held.delete(key);
            else held.set(key, value);
          return held;
        },
        { replace: !("view" in changes) },
      ),
    [setQuery],
  );
  return {
    view: named ?? null,
    together,
    where,
    picked,
    setView: useCallback((view: View) => put({ view }), [put]),
    setTogether: useCallback((all: boolean) => put({ of: all ? "all" : null }), [put]),
    setWhere: useCallback((next: string) => put({ where: next }), [put]),
    pick: useCallback(
      (ids: number[] | null, view?: View, together = false) =>
        put({
          picked: ids && ids.length ? ids.slice(0, MOST_PICKED).join(",") : null,
          ...(view ? { view } : {}),
          ...(together ? { of: "all" } : {}),
        }),
      [put],
    ),
    clear: useCallback(() => put({ where: null, picked: null }), [put]),
    compare: useMemo(() => (query.get("compare") ?? "").split(",").filter(Boolean).map(Number), [query]),
    setCompare: useCallback((ids: number[]) => put({ compare: ids.join(",") }), [put]),
  };
}
export type Selection = ReturnType<typeof useSelection>;
