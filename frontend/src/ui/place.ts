import { useCallback } from "react";
import { useLocation, useNavigate, useParams, useSearchParams } from "react-router";
import { useProblem } from "../api/problems";
import { useSearches } from "../api/searches";

export const STAGES = ["brief", "space", "live", "evidence", "decision"] as const;
export type Stage = (typeof STAGES)[number];

const number = (text: string | null | undefined) => (text && /^\d+$/.test(text) ? Number(text) : null);

/** Where the page is: problem, stage, search and trial, all read from the address, so that every state has a link. */
export function usePlace() {
  const problem = number(useParams().problem);
  const [query, setQuery] = useSearchParams();
  const navigate = useNavigate();
  const { pathname } = useLocation();
  const stage = STAGES.find((s) => pathname.endsWith(`/${s}`)) ?? null;
  const search = number(query.get("search"));
  const trial = number(query.get("trial"));

  const go = useCallback(
    (to: Stage, change: { search?: number | null } = {}) => {
      const chosen = change.search === undefined ? search : change.search;
      void navigate(`/p/${problem}/${to}${chosen === null ? "" : `?search=${chosen}`}`);
    },
    [navigate, problem, search],
  );
  const inspect = useCallback(
    (id: number | null) =>
      setQuery((held) => {
        if (id === null) held.delete("trial");
        else held.set("trial", String(id));
        return held;
      }),
    [setQuery],
  );
  const choose = useCallback(
    (id: number) =>
      setQuery((held) => {
        held.set("search", String(id));
        held.delete("trial");
        return held;
      }),
    [setQuery],
  );
  return { problem, stage, search, trial, go, inspect, choose };
}

/** The problem of the address, its searches, and the chosen one (the newest unless the address says otherwise). */
export function useChosen() {
  const place = usePlace();
  const problem = useProblem(place.problem);
  const searches = useSearches(place.problem);
  const named = searches.data?.find((s) => s.id === place.search);
  const newest = searches.data?.find((s) => s.kind === "search") ?? null;
  // A re-judging has no space of its own: there the newest search stands in.
  const chosen = named && (named.kind === "search" || place.stage !== "space") ? named : newest;
  return {
    ...place,
    problemQuery: problem,
    problemView: problem.data ?? null,
    searches: searches.data ?? [],
    searchesQuery: searches,
    chosen,
  };
}
