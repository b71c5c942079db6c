import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, settled, type Refusal, type Schemas } from "./client";
import { keys } from "./keys";

type SpaceView = Schemas["SpaceView"];

/** Whose settings a space has: a learner's for a problem, or those of a problem of own code. */
export type Whose = Pick<Schemas["SpaceRequest"], "learner" | "task" | "problem">;

/** A space as text, checked; without a text the default space. */
export const useSpace = (whose: Whose, text: string | null | undefined) =>
  useQuery<SpaceView, Refusal>({
    queryKey: keys.space(whose, text),
    enabled: text !== undefined,
    staleTime: text === null ? Infinity : undefined,
    queryFn: () => checkSpace({ ...whose, text }),
    placeholderData: (held) => (text === null ? undefined : held),
  });

export const checkSpace = (body: Schemas["SpaceRequest"]) => settled(api.POST("/api/v1/spaces/check", { body }));

export const useComparison = (one: string, other: string, wanted: boolean) =>
  useQuery<Schemas["ComparisonView"], Refusal>({
    queryKey: keys.comparison(one, other),
    enabled: wanted,
    placeholderData: (held) => held,
    retry: false,
    queryFn: () => settled(api.POST("/api/v1/spaces/compare", { body: { one, other } })),
  });

export const useForecast = (problem: number, request: Schemas["SearchRequest"], wanted: boolean) =>
  useQuery<Schemas["ForecastView"], Refusal>({
    queryKey: keys.forecast(problem, request),
    enabled: wanted,
    retry: false,
    placeholderData: (held) => held,
    queryFn: () =>
      settled(
        api.POST("/api/v1/problems/{problem_id}/forecast", {
          params: { path: { problem_id: problem } },
          body: request,
        }),
      ),
  });

export function useRehearsal(problem: number) {
  const client = useQueryClient();
  return useMutation<Schemas["RehearsalView"], Refusal, Schemas["SearchRequest"]>({
    mutationFn: (body) =>
      settled(
        api.POST("/api/v1/problems/{problem_id}/rehearsals", { params: { path: { problem_id: problem } }, body }),
      ),
    onSuccess: () => client.invalidateQueries({ queryKey: keys.forecasts(problem) }),
  });
}

export function useLaunch(problem: number, onLaunched: (search: Schemas["SearchView"]) => void) {
  const client = useQueryClient();
  return useMutation<Schemas["SearchView"], Refusal, Schemas["SearchRequest"]>({
    mutationFn: (body) =>
      settled(api.POST("/api/v1/problems/{problem_id}/searches", { params: { path: { problem_id: problem } }, body })),
    onSuccess: async (search) => {
      await client.invalidateQueries({ queryKey: keys.searches(problem) });
      void client.invalidateQueries({ queryKey: keys.problems });
      onLaunched(search);
    },
  });
}

export function usePastResults(problem: number) {
  const client = useQueryClient();
  return useMutation<Schemas["PastResultsView"], Refusal, Schemas["PastResultsRequest"]>({
    mutationFn: (body) =>
      settled(
        api.POST("/api/v1/problems/{problem_id}/past-results", { params: { path: { problem_id: problem } }, body }),
      ),
    onSuccess: () => client.invalidateQueries({ queryKey: keys.forecasts(problem) }),
  });
}
