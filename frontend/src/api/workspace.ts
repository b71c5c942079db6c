import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, settled, type Refusal, type Schemas } from "./client";
import { keys } from "./keys";

export const useWorkspace = () =>
  useQuery({ queryKey: keys.workspace, queryFn: () => settled(api.GET("/api/v1/workspace")) });

/** A person's word that the own code standing in this workspace may run. */
export function useTrust() {
  const client = useQueryClient();
  return useMutation<Schemas["TrustView"], Refusal>({
    mutationFn: () => settled(api.POST("/api/v1/workspace/trust")),
    onSuccess: () => client.invalidateQueries({ queryKey: keys.workspace }),
  });
}

/** The demo's problems and searches, laid out in an empty workspace. */
export function useDemo() {
  const client = useQueryClient();
  return useMutation<Schemas["DemoView"], Refusal>({
    mutationFn: () => settled(api.POST("/api/v1/workspace/demo")),
    onSuccess: () => client.invalidateQueries({ queryKey: keys.problems }),
  });
}

export const useCatalogue = () =>
  useQuery({ queryKey: keys.catalogue, queryFn: () => settled(api.GET("/api/v1/catalogue")), staleTime: Infinity });

/** A learner, or several as one ("logistic | forest"), as the server describes it for a task. */
export const useLearner = (key: string, task: string) =>
  useQuery<Schemas["LearnerView"], Refusal>({
    queryKey: keys.learner(key, task),
    staleTime: Infinity,
    placeholderData: (held) => held,
    queryFn: () => settled(api.GET("/api/v1/learners", { params: { query: { key, task } } })),
  });

export function useBringOwnCode(onBrought: (own: Schemas["OwnCodeView"]) => void) {
  const client = useQueryClient();
  return useMutation<Schemas["OwnCodeView"], Refusal, Schemas["OwnCodeRequest"]>({
    mutationFn: (body) => settled(api.POST("/api/v1/own-code", { body })),
    onSuccess: async (own) => {
      await client.invalidateQueries({ queryKey: keys.catalogue });
      onBrought(own);
    },
  });
}
