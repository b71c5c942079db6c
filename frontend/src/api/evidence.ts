import { useQuery } from "@tanstack/react-query";
import { api, settled, type Schemas } from "./client";
import { keys } from "./keys";

export type Importances = Schemas["ImportancesView"];
export type Matters = Schemas["MattersView"];

/** Which settings the score of a search depends on; computed when it is first asked for. */
export const useImportances = (search: number, wanted: boolean) =>
  useQuery({
    queryKey: keys.analysis("what matters", search),
    enabled: wanted,
    queryFn: () =>
      settled(api.POST("/api/v1/searches/{search_id}/importance", { params: { path: { search_id: search } } })),
    retry: false,
  });
