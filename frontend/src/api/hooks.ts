import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, settled, type BriefRequest, type Refusal, type Schemas } from "./client";

export const keys = {
  workspace: ["workspace"] as const,
  catalogue: ["catalogue"] as const,
  problems: ["problems"] as const,
  problem: (id: number) => ["problem", id] as const,
  data: (hash: string) => ["data", hash] as const,
  searches: (problem: number) => ["searches", problem] as const,
  points: (search: number) => ["points", search] as const,
  lanes: (search: number) => ["lanes", search] as const,
  rows: (search: number) => ["rows", search] as const,
  trial: (id: number) => ["trial", id] as const,
  finalists: (problem: number) => ["finalists", problem] as const,
};

export const useWorkspace = () =>
  useQuery({ queryKey: keys.workspace, queryFn: () => settled(api.GET("/api/v1/workspace")), refetchInterval: 3000 });

export const useCatalogue = () =>
  useQuery({ queryKey: keys.catalogue, queryFn: () => settled(api.GET("/api/v1/catalogue")), staleTime: Infinity });

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
    queryKey: ["split", id],
    enabled: id !== null,
    queryFn: () => settled(api.GET("/api/v1/problems/{problem_id}/split", { params: { path: { problem_id: id! } } })),
  });

export const useFindings = (id: number) =>
  useQuery({
    queryKey: ["findings", id],
    staleTime: Infinity,
    queryFn: () => settled(api.GET("/api/v1/problems/{problem_id}/findings", { params: { path: { problem_id: id } } })),
  });

/** A learner, or several as one ("logistic | forest"), as the server describes it for a task. */
export const useLearner = (key: string, task: string) =>
  useQuery<Schemas["LearnerView"], Refusal>({
    queryKey: ["learner", key, task],
    staleTime: Infinity,
    placeholderData: (held) => held,
    queryFn: () => settled(api.GET("/api/v1/learners", { params: { query: { key, task } } })),
  });

export const useData = (hash: string | null) =>
  useQuery({
    queryKey: keys.data(hash ?? ""),
    enabled: hash !== null,
    staleTime: Infinity,
    queryFn: () => settled(api.GET("/api/v1/data/{content_hash}", { params: { path: { content_hash: hash! } } })),
  });

export const useDataList = () => useQuery({ queryKey: ["data-list"], queryFn: () => settled(api.GET("/api/v1/data")) });

export const useSearches = (problem: number | null) =>
  useQuery({
    queryKey: keys.searches(problem ?? 0),
    enabled: problem !== null,
    queryFn: () =>
      settled(api.GET("/api/v1/problems/{problem_id}/searches", { params: { path: { problem_id: problem! } } })),
  });

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

export const useCurves = (search: number | null, running: boolean) =>
  useQuery({
    queryKey: ["curves", search, running],
    enabled: search !== null,
    placeholderData: (held) => held,
    refetchInterval: running ? 1500 : false,
    queryFn: () =>
      settled(api.GET("/api/v1/searches/{search_id}/curves", { params: { path: { search_id: search! } } })),
  });

export const useTrial = (id: number | null) =>
  useQuery({
    queryKey: keys.trial(id ?? 0),
    enabled: id !== null,
    queryFn: () => settled(api.GET("/api/v1/trials/{trial_id}", { params: { path: { trial_id: id! } } })),
  });

export const previewBrief = (body: BriefRequest) => settled(api.POST("/api/v1/briefs/preview", { body }));

export const checkSpace = (body: Schemas["SpaceRequest"]) => settled(api.POST("/api/v1/spaces/check", { body }));

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

export function useTrialRemarks(trial: number) {
  const client = useQueryClient();
  return useMutation({
    mutationFn: (body: Schemas["RemarksRequest"]) =>
      settled(api.PUT("/api/v1/trials/{trial_id}/remarks", { params: { path: { trial_id: trial } }, body })),
    onSuccess: () => {
      void client.invalidateQueries({ queryKey: keys.trial(trial) });
      void client.invalidateQueries({ queryKey: ["rows"] });
      void client.invalidateQueries({ queryKey: ["finalists"] });
    },
  });
}

export const withdrawTrial = (trial: number) =>
  settled(
    api.PUT("/api/v1/trials/{trial_id}/state", { params: { path: { trial_id: trial } }, body: { state: "withdrawn" } }),
  );
