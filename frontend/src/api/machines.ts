import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, settled, type Refusal, type Schemas } from "./client";
import { keys } from "./keys";

export type Cluster = Schemas["ClusterView"];
export type Waiting = Schemas["WaitingView"];

/** The clusters that were named here. Machines join and leave without an entry in the ledger: so they are looked at now and then. */
export const useClusters = (watched = false) =>
  useQuery({
    queryKey: keys.clusters,
    refetchInterval: (query) => (watched && query.state.data?.length ? 5_000 : false),
    queryFn: () => settled(api.GET("/api/v1/clusters")),
  });

export function useConnect(onDone: (cluster: Cluster) => void) {
  const client = useQueryClient();
  return useMutation<Cluster, Refusal, string>({
    mutationFn: (address) => settled(api.POST("/api/v1/clusters", { body: { address } })),
    onSuccess: async (cluster) => {
      await client.invalidateQueries({ queryKey: keys.clusters });
      onDone(cluster);
    },
  });
}

export function useForget() {
  const client = useQueryClient();
  return useMutation<Cluster[], Refusal, string>({
    mutationFn: (address) => settled(api.POST("/api/v1/clusters/forget", { body: { address } })),
    onSuccess: (left) => client.setQueryData(keys.clusters, left),
  });
}

/** Where the workers of a search are and what they wait for: it passes too quickly to be written down. */
export const useWaiting = (search: number, running: boolean) =>
  useQuery({
    queryKey: keys.waiting(search),
    enabled: running,
    refetchInterval: running ? 5_000 : false,
    queryFn: () =>
      settled(api.GET("/api/v1/searches/{search_id}/waiting", { params: { path: { search_id: search } } })),
  });
