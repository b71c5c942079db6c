import { useQueryClient, type QueryClient } from "@tanstack/react-query";
import { createContext, useContext, useEffect, useState } from "react";
import type { Lanes, Points } from "./client";
import { keys } from "./hooks";
import { patchHappening, patchLanes, patchPoints, type Entry, type Happening } from "./patches";

export type Light = "connecting" | "open" | "lost";

export const LightContext = createContext<Light>("connecting");
export const useLight = () => useContext(LightContext);

const FLUSH = 120; // ms: entries are applied in batches, so that a thousand a second cost eight updates
const REMEMBERED = 3000; // entries
const PATCHED = ["lanes", "points", "happening"];
const SLOW_FLUSH = 700; // ms: for what has to be asked for again

/** Listens to the ledger while the page is seen.
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
    let waiting: Entry[] = [];
    let timer: number | undefined;
    let slow: number | undefined;
    let recent: Entry[] = [];
    const flush = () => {
      timer = undefined;
      const entries = waiting;
      waiting = [];
      recent = [...recent, ...entries].slice(-REMEMBERED);
      apply(client, entries);
      slow ??= window.setTimeout(() => {
        slow = undefined;
        void client.invalidateQueries({ queryKey: ["searches"] });
        void client.invalidateQueries({ queryKey: ["problem"] });
      }, SLOW_FLUSH);
    };
    const close = () => {
      source?.close();
      source = null;
    };
    const open = () => {
      if (source || document.visibilityState === "hidden") return;
      source = new EventSource(`/api/v1/events${last === null ? "" : `?after=${last}`}`);
      source.onopen = () => setLight("open");
      source.onerror = () => setLight("lost");
      source.onmessage = (message) => {
        last = message.lastEventId;
        waiting.push(...(JSON.parse(message.data as string) as Entry[]));
        timer ??= window.setTimeout(flush, FLUSH);
      };
    };
    const onVisibility = () => (document.visibilityState === "hidden" ? close() : open());
    // An answer may be older than entries that came while it was under way: they are applied to it again.
    const stopWatching = client.getQueryCache().subscribe((event) => {
      if (event.type !== "updated" || event.action.type !== "success" || event.action.manual) return;
      const [kind, search] = event.query.queryKey;
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
      document.removeEventListener("visibilitychange", onVisibility);
      window.removeEventListener("pagehide", close);
      window.removeEventListener("pageshow", open);
      window.clearTimeout(timer);
      window.clearTimeout(slow);
    };
  }, [client]);
  return light;
}

function apply(client: QueryClient, entries: Entry[]): void {
  const bySearch = new Map<number | null, Entry[]>();
  for (const entry of entries) {
    const own = bySearch.get(entry.search_id);
    if (own) own.push(entry);
    else bySearch.set(entry.search_id, [entry]);
  }
  if (entries.some((entry) => entry.kind === "analysis" || entry.kind === "decision"))
    void client.invalidateQueries({ queryKey: ["analysis"] });
  for (const [search, own] of bySearch) {
    if (search === null) continue;
    patch(client, search, own);
    if (own.some((entry) => entry.kind === "trial" && entry.data.ended_at !== null))
      void client.invalidateQueries({ queryKey: keys.rows(search) });
    if (own.some((entry) => entry.kind === "search" || entry.kind === "decision")) {
      void client.invalidateQueries({ queryKey: ["problems"] });
      void client.invalidateQueries({ queryKey: ["finalists"] });
    }
  }
}

function patch(client: QueryClient, search: number, entries: Entry[]): void {
  const trials = entries.filter((entry) => entry.kind === "trial");
  const fits = entries.filter((entry) => entry.kind === "fit");
  if (fits.length) client.setQueryData<Lanes>(keys.lanes(search), (held) => held && patchLanes(held, fits));
  if (!trials.length) return;
  client.setQueryData<Points>(keys.points(search), (held) => held && patchPoints(held, trials));
  client.setQueryData<Happening>(["happening", search], (held) => held && patchHappening(held, trials));
}
