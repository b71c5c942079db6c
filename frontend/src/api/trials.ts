import { keepPreviousData, useMutation, useQueries, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, settled, type Refusal, type Schemas, type TrialRow } from "./client";
import { keys } from "./keys";

export const PAGE = 100;

export interface Ordering {
  sort: string;
  descending: boolean;
  where: string;
}

/** The rows around what is seen, page by page, sorted and filtered by the server. */
export function useRows(search: number, ordering: Ordering, first: number, last: number) {
  const pages = Array.from(
    { length: Math.floor(last / PAGE) - Math.floor(first / PAGE) + 1 },
    (_, i) => Math.floor(first / PAGE) + i,
  );
  const wanted = pages.includes(0) ? pages : [0, ...pages];
  const answers = useQueries({
    queries: wanted.map((page) => ({
      queryKey: keys.page(search, ordering, page),
      placeholderData: keepPreviousData,
      retry: false,
      queryFn: () =>
        settled(
          api.GET("/api/v1/searches/{search_id}/trials", {
            params: { path: { search_id: search }, query: { ...ordering, offset: page * PAGE, limit: PAGE } },
          }),
        ),
    })),
  });
  const rows = new Map<number, TrialRow>();
  for (const answer of answers) answer.data?.trials.forEach((trial, i) => rows.set(answer.data.offset + i, trial));
  return {
    rows,
    total: answers[0]?.data?.total ?? null,
    error: (answers.find((a) => a.error)?.error ?? null) as Refusal | null,
  };
}

export const useTrial = (id: number | null) =>
  useQuery({
    queryKey: keys.trial(id ?? 0),
    enabled: id !== null,
    queryFn: () => settled(api.GET("/api/v1/trials/{trial_id}", { params: { path: { trial_id: id! } } })),
  });

export function useTrialRemarks(trial: number) {
  const client = useQueryClient();
  return useMutation({
    mutationFn: (body: Schemas["RemarksRequest"]) =>
      settled(api.PUT("/api/v1/trials/{trial_id}/remarks", { params: { path: { trial_id: trial } }, body })),
    onSuccess: () => {
      void client.invalidateQueries({ queryKey: keys.trial(trial) });
      void client.invalidateQueries({ queryKey: keys.everyRow });
      void client.invalidateQueries({ queryKey: keys.everyFinalist });
    },
  });
}

export const withdrawTrial = (trial: number) =>
  settled(
    api.PUT("/api/v1/trials/{trial_id}/state", { params: { path: { trial_id: trial } }, body: { state: "withdrawn" } }),
  );

export const useConfiguration = (trial: number, format: string) =>
  useQuery({
    queryKey: keys.configuration(trial, format),
    staleTime: Infinity,
    queryFn: () =>
      settled(
        api.GET("/api/v1/trials/{trial_id}/configuration/{format}", { params: { path: { trial_id: trial, format } } }),
      ),
  });
