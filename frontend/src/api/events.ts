import { useQueryClient, type QueryClient } from "@tanstack/react-query";
import { createContext, useContext, useEffect, useState } from "react";
import type { Curves, Entry, Lanes, Points, Problem, Search } from "./client";
import { keys } from "./keys";
import { paced } from "./pace";
import {
  patchCurves,
  patchHappening,
  patchLanes,
  patchPoints,
  patchSearches,
  type FitEntry,
  type Happening,
  type PointsEntry,
  type SearchEntry,
  type TrialEntry,
} from "./patches";
import { staleness, type Staleness } from "./staleness";

export type Light = "connecting" | "open" | "lost";

export const LightContext = createContext<Light>("connecting");
export const useLight = () => useContext(LightContext);

const REMEMBERED = 3000; // entries
const PATCHED = ["lanes", "points", "happening", "curves"];

/** Listens to the ledger while the page is seen. This is the only way of being live: entries patch what is held, and what they
 * cannot patch is asked for again when an entry says that it has changed, and not more often than staleness.ts allows.
 *
 * A browser opens six connections to a server and no more, so a hidden page gives its stream back, and asks for what it
 * missed when it is seen again: by the id of the last entry, as the browser itself does after a broken connection.
 */
export function useLedger(): Light {
  const client = useQueryClient();
  const [light, setLight] = useState<Light>("connecting");
  useEffect(() => {
    let source: EventSource | null = null;
    let last: string | null = null;
    let recent: Entry[] = [];
    const stale = staleness((queryKey) => void client.invalidateQueries({ queryKey }));
    const pace = paced<Entry>((entries) => {
      recent = [...recent, ...entries].slice(-REMEMBERED);
      apply(client, stale, entries);
    });
    const close = () => {
      source?.close();
      source = null;
    };
    const open = () => {
      if (source || document.visibilityState === "hidden") return;
      source = new EventSource(`/api/v1/events${last === null ? "" : `?after=${last}`}`);
      source.onopen = () => setLight("open");
      source.onerror = () => setLight("lost");
      source.onmessage = (message: MessageEvent<string>) => {
        last = message.lastEventId;
        pace.add(read(message.data));
      };
    };
    const onVisibility = () => (document.visibilityState === "hidden" ? close() : open());
    // An answer may be older than entries that came while it was under way: they are applied to it again.
    const stopWatching = client.getQueryCache().subscribe((event) => {
      if (event.type !== "updated" || event.action.type !== "success" || event.action.manual) return;
      const [kind, search] = event.query.queryKey as readonly unknown[];
      if (!PATCHED.includes(String(kind))) return;
      const missed = recent.filter((entry) => entry.search_id === search);
      if (missed.length) queueMicrotask(() => patch(client, search as number, missed));
    });
    open();
    document.addEventListener("visibilitychange", onVisibility);
    window.addEventListener("pagehide", close);
    window.addEventListener("pageshow", open);
    return () => {
      close();
      stopWatching();
      stale.stop();
      document.removeEventListener("visibilitychange", onVisibility);
      window.removeEventListener("pagehide", close);
      window.removeEventListener("pageshow", open);
      pace.stop();
    };
  }, [client]);
  return light;
}

/** The entries of a message. What is of a kind that this page does not know yet (the server is newer) says nothing to it. */
export const read = (text: string): Entry[] => JSON.parse(text) as Entry[];

/** Puts entries into what is held, and marks as stale what they say has changed. */
export function apply(client: QueryClient, stale: Staleness, entries: Entry[]): void {
  const bySearch = new Map<number, Entry[]>();
  for (const entry of entries) {
    if (entry.search_id !== null) bySearch.set(entry.search_id, [...(bySearch.get(entry.search_id) ?? []), entry]);
    tellOf(client, stale, entry);
  }
  for (const [search, own] of bySearch) patch(client, search, own);
}

function tellOf(client: QueryClient, stale: Staleness, entry: Entry): void {
  switch (entry.kind) {
    case "search": {
      const { problem_id: problem, run, state, active_seconds } = entry.data;
      if (run === "face-off") {
        // Its runs are no searches of the problem: only the face-off shows them.
        stale.mark(keys.faceoffs(problem), state === "running" && active_seconds > 0 ? "never" : "now");
        stale.mark(keys.workspace, "slowly");
        return;
      }
      const steady = saysNothingNew(client, entry);
      client.setQueryData<Search[]>(keys.searches(problem), (held) => held && patchSearches(held, [entry]));
      // A search that runs says every few seconds how long it has run. That is patched; counts beside it can wait.
      for (const key of [keys.searches(problem), keys.workspace]) stale.mark(key, steady ? "slowly" : "now");
      if (steady) return;
      if (run === "baselines") stale.mark(keys.baselines(problem), "now");
      for (const key of [keys.problems, keys.problem(problem), keys.finalists(problem), keys.spending(problem)])
        stale.mark(key, "now");
      if (entry.search_id !== null) stale.mark(keys.analysis("evidence", entry.search_id), "now");
      return;
    }
    case "trial": {
      if (entry.search_id === null) return;
      const problem = problemOf(client, entry.search_id);
      if (problem !== null) stale.mark(keys.searches(problem), "slowly");
      stale.mark(keys.curves(entry.search_id), entry.data.ended_at === null ? "never" : "slowly");
      if (entry.data.ended_at === null) return;
      stale.mark(keys.rows(entry.search_id), "soon");
      stale.mark(keys.front(entry.search_id), "soon");
      stale.mark(keys.together, "soon");
      stale.mark(keys.trial(entry.data.id), "now");
      if (problem !== null) stale.mark(keys.spending(problem), "slowly");
      if (problem !== null && betters(client, problem, entry.data.mean))
        for (const key of [keys.problem(problem), keys.problems]) stale.mark(key, "slowly");
      if (entry.data.origin === "baseline") stale.markAll("baselines", "soon");
      if (entry.data.origin === "recheck") stale.markAll("safety", "soon");
      return;
    }
    case "fit":
      stale.mark(keys.workspace, "slowly");
      return;
    case "analysis":
      stale.mark(keys.analyses, "now");
      return;
    case "decision":
      for (const key of [keys.analyses, keys.problems, keys.problem(entry.data.problem_id)]) stale.mark(key, "now");
      stale.mark(keys.finalists(entry.data.problem_id), "now");
      return;
    case "problem":
      for (const key of [keys.problems, keys.problem(entry.data.problem_id)]) stale.mark(key, "now");
      stale.mark(keys.forecasts(entry.data.problem_id), "now");
      return;
    case "remarks":
      for (const key of [keys.everyRow, keys.finalists(entry.data.problem_id)]) stale.mark(key, "now");
      if (entry.data.trial_id === null) stale.mark(keys.everyTrial, "now");
      else stale.mark(keys.trial(entry.data.trial_id), "now");
      return;
    case "points":
      return;
    default: // of a kind that a newer server tells of
      return;
  }
}

/** Whether a search runs on as its entry before said. The list of searches may know of a change sooner than the entry that tells of
 * it, and what else has changed is asked for by entries alone: so the list is believed only before the first entry. */
function saysNothingNew(client: QueryClient, { search_id, data }: SearchEntry): boolean {
  const { problem_id: problem, run, state, workers, active_seconds } = data;
  const now = JSON.stringify([state, workers]);
  const before = client.getQueryData<string>(keys.told(search_id ?? 0));
  client.setQueryData(keys.told(search_id ?? 0), now);
  if (state !== "running") return false;
  if (run !== "search") return active_seconds > 0;
  const listed = client.getQueryData<Search[]>(keys.searches(problem))?.find((search) => search.id === search_id);
  if (!listed || listed.halted !== null) return false;
  return before === undefined ? listed.state === state && listed.workers === workers : before === now;
}

function problemOf(client: QueryClient, search: number): number | null {
  for (const [, held] of client.getQueriesData<Search[]>({ queryKey: ["searches"] }))
    for (const one of held ?? []) if (one.id === search) return one.problem_id;
  return null;
}

function betters(client: QueryClient, problem: number, mean: number | null): boolean {
  const held = client.getQueryData<Problem>(keys.problem(problem));
  if (!held || mean === null) return mean !== null;
  const turn = held.judging.larger_is_better ? 1 : -1;
  return held.best === null || turn * mean > turn * held.best.score;
}

function patch(client: QueryClient, search: number, entries: Entry[]): void {
  const trials = entries.filter((entry): entry is TrialEntry & Entry => entry.kind === "trial");
  const fits = entries.filter((entry): entry is FitEntry => entry.kind === "fit");
  const drawn = entries.filter(
    (entry): entry is (TrialEntry & Entry) | PointsEntry => entry.kind === "trial" || entry.kind === "points",
  );
  if (fits.length) client.setQueryData<Lanes>(keys.lanes(search), (held) => held && patchLanes(held, fits));
  if (drawn.length) client.setQueryData<Curves>(keys.curves(search), (held) => held && patchCurves(held, drawn));
  if (!trials.length) return;
  client.setQueryData<Points>(keys.points(search), (held) => held && patchPoints(held, trials));
  client.setQueryData<Happening>(keys.happening(search), (held) => held && patchHappening(held, trials));
}
