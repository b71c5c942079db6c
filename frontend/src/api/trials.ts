import {
  keepPreviousData,
  queryOptions,
  useMutation,
  useQueries,
  useQuery,
  useQueryClient,
} from "@tanstack/react-query";
import { api, settled, type Refusal, type Schemas, type Search } from "./client";
import { keys } from "./keys";

export const PAGE = 100;

export interface Ordering {
  sort: string;
  descending: boolean;
  where: string;
  among?: string; // ids, parted by commas
}

export type PagedTrial = Schemas["PagedTrial"];

/** Whose trials: one search's, or those of all searches of a problem. */
export type Source = { search: number } | { problem: number };

const pageOf = (of: Source, query: Ordering & { offset: number; limit: number }) =>
  "search" in of
    ? settled(api.GET("/api/v1/searches/{search_id}/trials", { params: { path: { search_id: of.search }, query } }))
    : settled(api.GET("/api/v1/problems/{problem_id}/trials", { params: { path: { problem_id: of.problem }, query } }));

/** The rows around what is seen, page by page, sorted and filtered by the server. */
export function useRows(of: Source, ordering: Ordering, first: number, last: number) {
  const pages = Array.from(
    { length: Math.floor(last / PAGE) - Math.floor(first / PAGE) + 1 },
    (_, i) => Math.floor(first / PAGE) + i,
  );
  const wanted = pages.includes(0) ? pages : [0, ...pages];
  const answers = useQueries({
    queries: wanted.map((page) => ({
      queryKey: keys.page("search" in of ? of.search : ["together", of.problem], ordering, page),
      placeholderData: keepPreviousData,
      retry: false,
      queryFn: () => pageOf(of, { ...ordering, offset: page * PAGE, limit: PAGE }),
    })),
  });
  const rows = new Map<number, PagedTrial>();
  for (const answer of answers) answer.data?.trials.forEach((trial, i) => rows.set(answer.data.offset + i, trial));
  return {
    rows,
    total: answers[0]?.data?.total ?? null,
    settings: answers[0]?.data?.settings ?? null,
    error: (answers.find((a) => a.error)?.error ?? null) as Refusal | null,
  };
}

/** The trials with a number, one of each search that has it. */
export function useTrialsNumbered(searches: Search[], number: number | null) {
  const answers = useQueries({
    queries: (number === null ? [] : searches).map((search) => {
      const ordering = { where: `number = ${number}`, sort: "number", descending: false };
      return {
        queryKey: keys.page(search.id, ordering, 0),
        queryFn: () =>
          settled(
            api.GET("/api/v1/searches/{search_id}/trials", {
              params: { path: { search_id: search.id }, query: { ...ordering, limit: 1 } },
            }),
          ),
      };
    }),
  });
  return answers.flatMap((answer, i) => (answer.data?.trials ?? []).map((trial) => ({ search: searches[i]!, trial })));
}

export const trialQuery = (id: number) =>
  queryOptions({
    queryKey: keys.trial(id),
    queryFn: () => settled(api.GET("/api/v1/trials/{trial_id}", { params: { path: { trial_id: id } } })),
  });

export const useTrial = (id: number | null) => useQuery({ ...trialQuery(id ?? 0), enabled: id !== null });

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
