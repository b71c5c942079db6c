import { keepPreviousData, useQueries } from "@tanstack/react-query";
import { api, settled, type Refusal, type TrialRow } from "../../api/client";
import { keys } from "../../api/hooks";

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
      queryKey: [...keys.rows(search), ordering, page],
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
