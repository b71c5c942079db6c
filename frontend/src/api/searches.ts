import { queryOptions, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, settled, type Refusal, type Schemas, type Search } from "./client";
import { keys } from "./keys";
import { patchHappening, type Happening, type TrialEntry } from "./patches";

const RECENT = 60; // trials among which those that run are found

export const searchesQuery = (problem: number) =>
  queryOptions({
    queryKey: keys.searches(problem),
    // A search that waits for its database or disk writes no entry that would say so.
    refetchInterval: (query) => (query.state.data?.some((search) => search.state === "running") ? 10_000 : false),
    queryFn: () =>
      settled(api.GET("/api/v1/problems/{problem_id}/searches", { params: { path: { problem_id: problem } } })),
  });

export const useSearches = (problem: number | null) =>
  useQuery({ ...searchesQuery(problem ?? 0), enabled: problem !== null });

export const usePoints = (search: number | null) =>
  useQuery({
    queryKey: keys.points(search ?? 0),
    enabled: search !== null,
    staleTime: Infinity,
    queryFn: () =>
      settled(api.GET("/api/v1/searches/{search_id}/points", { params: { path: { search_id: search! } } })),
  });

export const useLanes = (search: number | null) =>
  useQuery({
    queryKey: keys.lanes(search ?? 0),
    enabled: search !== null,
    staleTime: Infinity,
    queryFn: () => settled(api.GET("/api/v1/searches/{search_id}/lanes", { params: { path: { search_id: search! } } })),
  });

export const useCurves = (search: number | null) =>
  useQuery({
    queryKey: keys.curves(search ?? 0),
    enabled: search !== null,
    staleTime: Infinity,
    placeholderData: (held) => held,
    queryFn: () =>
      settled(api.GET("/api/v1/searches/{search_id}/curves", { params: { path: { search_id: search! } } })),
  });

/** The front of a search whose metrics decide together. */
export const useFront = (search: number) =>
  useQuery({
    queryKey: keys.front(search),
    staleTime: Infinity,
    placeholderData: (held) => held,
    queryFn: () => settled(api.GET("/api/v1/searches/{search_id}/front", { params: { path: { search_id: search } } })),
  });

export type Front = NonNullable<ReturnType<typeof useFront>["data"]>;

/** What random draws would cover of it; models are made for that, so it is asked anew every ten trials only. */
export const useRandomFront = (search: number, scored: number) =>
  useQuery({
    queryKey: keys.randomFront(search, Math.floor(scored / 10)),
    staleTime: Infinity,
    placeholderData: (held) => held,
    queryFn: () =>
      settled(api.GET("/api/v1/searches/{search_id}/front/random", { params: { path: { search_id: search } } })),
  });

/** What runs now and what ended last; kept current by the ledger. */
export const useHappening = (search: number) =>
  useQuery<Happening>({
    queryKey: keys.happening(search),
    staleTime: Infinity,
    queryFn: async () => {
      const page = await settled(
        api.GET("/api/v1/searches/{search_id}/trials", {
          params: { path: { search_id: search }, query: { limit: RECENT, sort: "number", descending: true } },
        }),
      );
      const trials = page.trials.sort((a, b) => (a.ended_at ?? Infinity) - (b.ended_at ?? Infinity));
      return patchHappening(
        { live: {}, ended: [] },
        trials.map((data): TrialEntry => ({ id: 0, at: 0, kind: "trial", search_id: search, data })),
      );
    },
  });

export function useSteerSearch(search: number, problem: number) {
  const client = useQueryClient();
  const refresh = () => client.invalidateQueries({ queryKey: keys.searches(problem) });
  const path = { search_id: search };
  const state = useMutation({
    mutationFn: (wanted: Schemas["StateRequest"]["state"]) =>
      settled(api.PUT("/api/v1/searches/{search_id}/state", { params: { path }, body: { state: wanted } })),
    onSettled: refresh,
  });
  const workers = useMutation({
    mutationFn: (count: number) =>
      settled(api.PUT("/api/v1/searches/{search_id}/workers", { params: { path }, body: { count } })),
    onSettled: refresh,
  });
  return { state, workers };
}

type Budget = Schemas["LimitsRequest"];

export function useBudget(search: Search, onChanged: () => void) {
  const client = useQueryClient();
  return useMutation<Search, Refusal, Budget>({
    mutationFn: (body) =>
      settled(api.PUT("/api/v1/searches/{search_id}/budget", { params: { path: { search_id: search.id } }, body })),
    onSuccess: async () => {
      await client.invalidateQueries({ queryKey: keys.searches(search.problem_id) });
      onChanged();
    },
  });
}

export const useTryByHand = (search: number, onTried: () => void) =>
  useMutation<Search, Refusal, Schemas["TryRequest"]["configuration"]>({
    mutationFn: (configuration) =>
      settled(
        api.POST("/api/v1/searches/{search_id}/trials", {
          params: { path: { search_id: search } },
          body: { configuration },
        }),
      ),
    onSuccess: onTried,
  });

/** What safety checks have found; the ledger tells when one has more. */
export const useSafety = (search: number) =>
  useQuery({
    queryKey: keys.safety(search),
    queryFn: () => settled(api.GET("/api/v1/searches/{search_id}/safety", { params: { path: { search_id: search } } })),
  });

export function useCheckSafety(search: Search) {
  const client = useQueryClient();
  return useMutation<Search, Refusal>({
    mutationFn: () =>
      settled(
        api.POST("/api/v1/searches/{search_id}/safety", {
          params: { path: { search_id: search.id } },
          body: { trials: 5 },
        }),
      ),
    onSuccess: async () => {
      await client.invalidateQueries({ queryKey: keys.safety(search.id) });
      void client.invalidateQueries({ queryKey: keys.searches(search.problem_id) });
    },
  });
}
