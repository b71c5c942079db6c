import { keepPreviousData, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, settled, type Refusal, type Schemas } from "./client";
import { keys } from "./keys";

export type Finalists = Schemas["FinalistsView"];
export type Finalist = Schemas["Finalist"];

export type Holdout = Schemas["HoldoutView"];
export type Diagnostics = Schemas["DiagnosticsView"];
export type Decision = Schemas["DecisionDetail"];

/** How finalists are weighed: what the page's controls say. */
export interface Weighing {
  top: number;
  cost: string;
  region: number | null;
  beside: string | null;
  weights: string | null;
  of: number | null; // the id of the one search whose trials are weighed
  limitOn: string | null;
  limit: number | null;
}

export const weighingQuery = (w: Weighing) => ({
  top: w.top,
  cost: w.cost,
  ...(w.region !== null && { region: w.region }),
  ...(w.beside !== null && { beside: w.beside }),
  ...(w.weights !== null && { weights: w.weights }),
  ...(w.of !== null && { search: w.of }),
  ...(w.limitOn !== null && w.limit !== null && { limit_on: w.limitOn, limit: w.limit }),
});

export const useFinalists = (problem: number, weighing: Weighing) =>
  useQuery({
    queryKey: keys.weighed(problem, weighing),
    placeholderData: keepPreviousData,
    queryFn: () =>
      settled(
        api.GET("/api/v1/problems/{problem_id}/finalists", {
          params: { path: { problem_id: problem }, query: weighingQuery(weighing) },
        }),
      ),
  });

export const useHonestScore = (problem: number, wanted: boolean) =>
  useQuery({
    queryKey: keys.analysis("honest", problem),
    enabled: wanted,
    queryFn: () =>
      settled(api.POST("/api/v1/problems/{problem_id}/honest-score", { params: { path: { problem_id: problem } } })),
  });

export type Honest = NonNullable<ReturnType<typeof useHonestScore>["data"]>;

export const useImportance = (trial: number, wanted: boolean) =>
  useQuery({
    queryKey: keys.analysis("importance", trial),
    enabled: wanted,
    queryFn: () => settled(api.POST("/api/v1/trials/{trial_id}/importance", { params: { path: { trial_id: trial } } })),
  });

export const useTree = (trial: number, wanted: boolean) =>
  useQuery({
    queryKey: keys.analysis("tree", trial),
    enabled: wanted,
    queryFn: () => settled(api.POST("/api/v1/trials/{trial_id}/tree", { params: { path: { trial_id: trial } } })),
  });

export const useHoldout = (problem: number) =>
  useQuery({
    queryKey: keys.analysis("holdout", problem),
    queryFn: () =>
      settled(api.GET("/api/v1/problems/{problem_id}/holdout", { params: { path: { problem_id: problem } } })),
  });

export function useOpenHoldout(problem: number) {
  const client = useQueryClient();
  return useMutation<Holdout[], Refusal, Schemas["OpeningRequest"]>({
    mutationFn: (body) =>
      settled(api.POST("/api/v1/problems/{problem_id}/holdout", { params: { path: { problem_id: problem } }, body })),
    onSuccess: (found) => client.setQueryData(keys.analysis("holdout", problem), found),
  });
}

export const useDiagnostics = (trial: number) =>
  useQuery({
    queryKey: keys.diagnostics(trial),
    staleTime: Infinity,
    queryFn: () => settled(api.GET("/api/v1/trials/{trial_id}/diagnostics", { params: { path: { trial_id: trial } } })),
  });

export function useShortlist(problem: number) {
  const client = useQueryClient();
  return useMutation<Schemas["ShortlistView"], Refusal, Schemas["ShortlistRequest"]>({
    mutationFn: (body) =>
      settled(api.PUT("/api/v1/problems/{problem_id}/shortlist", { params: { path: { problem_id: problem } }, body })),
    onSuccess: () => {
      void client.invalidateQueries({ queryKey: keys.finalists(problem) });
      void client.invalidateQueries({ queryKey: keys.everyRow });
      void client.invalidateQueries({ queryKey: keys.everyTrial });
    },
  });
}

export function useRejudge(problem: number) {
  const client = useQueryClient();
  return useMutation<Schemas["SearchView"], Refusal, Schemas["RejudgeRequest"]>({
    mutationFn: (body) =>
      settled(
        api.POST("/api/v1/problems/{problem_id}/rejudgings", { params: { path: { problem_id: problem } }, body }),
      ),
    onSuccess: () => void client.invalidateQueries({ queryKey: keys.searches(problem) }),
  });
}

export const useDecisions = (problem: number | null) =>
  useQuery({
    queryKey: keys.analysis("decisions", problem ?? 0),
    queryFn: () => settled(api.GET("/api/v1/decisions", { params: { query: problem === null ? {} : { problem } } })),
  });

export const useDecision = (id: number | null) =>
  useQuery({
    queryKey: keys.analysis("decision", id ?? 0),
    enabled: id !== null,
    queryFn: () => settled(api.GET("/api/v1/decisions/{decision_id}", { params: { path: { decision_id: id! } } })),
  });

export function useDecide(problem: number) {
  const client = useQueryClient();
  return useMutation<Decision, Refusal, Schemas["DecisionRequest"]>({
    mutationFn: (body) =>
      settled(api.POST("/api/v1/problems/{problem_id}/decisions", { params: { path: { problem_id: problem } }, body })),
    onSuccess: () => {
      void client.invalidateQueries({ queryKey: keys.analyses });
      void client.invalidateQueries({ queryKey: keys.problem(problem) });
    },
  });
}
