import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, settled, type BriefRequest, type Preview, type Problem, type Refusal, type Schemas } from "./client";
import { keys } from "./keys";

export type Baseline = Schemas["BaselineView"];

export const useProblems = () =>
  useQuery({ queryKey: keys.problems, queryFn: () => settled(api.GET("/api/v1/problems")) });

export const useProblem = (id: number | null) =>
  useQuery({
    queryKey: keys.problem(id ?? 0),
    enabled: id !== null,
    queryFn: () => settled(api.GET("/api/v1/problems/{problem_id}", { params: { path: { problem_id: id! } } })),
  });

export const useSplit = (id: number | null) =>
  useQuery({
    queryKey: keys.split(id ?? 0),
    enabled: id !== null,
    queryFn: () => settled(api.GET("/api/v1/problems/{problem_id}/split", { params: { path: { problem_id: id! } } })),
  });

export const useFindings = (id: number) =>
  useQuery({
    queryKey: keys.findings(id),
    staleTime: Infinity,
    queryFn: () => settled(api.GET("/api/v1/problems/{problem_id}/findings", { params: { path: { problem_id: id } } })),
  });

export const usePreview = (request: BriefRequest) =>
  useQuery<Preview, Refusal>({
    queryKey: keys.preview(request),
    enabled: request.target !== "",
    queryFn: () => settled(api.POST("/api/v1/briefs/preview", { body: request })),
    placeholderData: (held) => held,
    retry: false,
  });

/** Keeps a brief, a new one or a changed one, and has its baselines scored in the background. */
export function useSaveBrief(problem: number | null, derivedFrom: number | null, onSaved: (saved: Problem) => void) {
  const client = useQueryClient();
  return useMutation<Problem, Refusal, BriefRequest>({
    mutationFn: (body) =>
      problem !== null
        ? settled(api.PUT("/api/v1/problems/{problem_id}/brief", { params: { path: { problem_id: problem } }, body }))
        : settled(
            api.POST("/api/v1/problems", { body, params: { query: derivedFrom ? { derived_from: derivedFrom } : {} } }),
          ),
    onSuccess: (saved) => {
      const path = { problem_id: saved.id };
      // Nobody waits for it, and the brief shows what comes of it.
      void settled(api.POST("/api/v1/problems/{problem_id}/baselines", { params: { path }, body: {} })).then((views) =>
        client.setQueryData(keys.baselines(saved.id), views),
      );
      for (const queryKey of [keys.problems, keys.problem(saved.id), keys.split(saved.id), keys.findings(saved.id)])
        void client.invalidateQueries({ queryKey });
      onSaved(saved);
    },
  });
}

/** The baselines of a problem; the ledger tells of those that are under way. */
export const useBaselines = (problem: number | null) =>
  useQuery<Baseline[], Refusal>({
    queryKey: keys.baselines(problem ?? 0),
    enabled: problem !== null,
    queryFn: () =>
      settled(api.GET("/api/v1/problems/{problem_id}/baselines", { params: { path: { problem_id: problem! } } })),
  });

export function useScoreBaselines(problem: number) {
  const client = useQueryClient();
  return useMutation<Baseline[], Refusal, string[]>({
    mutationFn: (learners) =>
      settled(
        api.POST("/api/v1/problems/{problem_id}/baselines", {
          params: { path: { problem_id: problem } },
          body: { learners },
        }),
      ),
    onSuccess: (views) => client.setQueryData(keys.baselines(problem), views),
  });
}
