import { useQuery } from "@tanstack/react-query";
import { api, settled, type Lanes } from "../../api/client";
import { patchHappening, type Entry, type Happening } from "../../api/patches";

const RECENT = 60;

/** What runs now and what ended last; kept current by the ledger. */
export const useHappening = (search: number | null) =>
  useQuery<Happening>({
    queryKey: ["happening", search],
    enabled: search !== null,
    staleTime: Infinity,
    queryFn: async () => {
      const page = await settled(
        api.GET("/api/v1/searches/{search_id}/trials", {
          params: { path: { search_id: search! }, query: { limit: RECENT, sort: "number", descending: true } },
        }),
      );
      const entries = page.trials
        .sort((a, b) => (a.ended_at ?? Infinity) - (b.ended_at ?? Infinity))
        .map((data) => ({ id: 0, at: 0, kind: "trial", search_id: search, data: data as never }) satisfies Entry);
      return patchHappening({ live: {}, ended: [] }, entries);
    },
  });

/** Scores so far and running folds of a trial, from the fits. */
export function progressOf(lanes: Lanes | undefined, trial: number, folds: number) {
  const scores: (number | null)[] = Array<number | null>(folds).fill(null);
  const running: number[] = [];
  for (const fit of lanes?.fits ?? []) {
    if (fit.trial !== trial) continue;
    if (fit.state === "running") running.push(fit.fold);
    if (fit.score !== null || fit.state !== "running") scores[fit.fold] = fit.score;
  }
  return { scores, running };
}
