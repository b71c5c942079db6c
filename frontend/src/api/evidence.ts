import { useMutation, useQueries, useQuery, useQueryClient, type UseQueryResult } from "@tanstack/react-query";
import { useMemo } from "react";
import { api, settled, type Points, type Refusal, type Schemas, type Search } from "./client";
import { keys } from "./keys";

export type Evidence = Schemas["EvidenceView"];
export type Matters = Schemas["MattersView"];
export type Finding = Schemas["SaidView"];
export type Curve = Schemas["CurveView"];
export type Direction = Schemas["DirectionView"];
export type Step = Schemas["StepView"];
export type Surface = Schemas["SurfaceShown"];
export type Others = NonNullable<Schemas["SurfaceRequest"]["others"]>;
export type Spent = Schemas["SpentView"];

/** What the trials of a search say; computed when it is first asked for. */
export const useEvidence = (search: number | null) =>
  useQuery({
    queryKey: keys.analysis("evidence", search ?? 0),
    enabled: search !== null,
    queryFn: () =>
      settled(api.POST("/api/v1/searches/{search_id}/evidence", { params: { path: { search_id: search! } } })),
    retry: false,
  });

export const useSurface = (
  search: number,
  { across, down, others, by }: { across: string; down: string; others: Others; by: string | null },
  wanted: boolean,
) =>
  useQuery({
    queryKey: keys.surface(search, across, down, others, by),
    enabled: wanted,
    queryFn: () =>
      settled(
        api.POST("/api/v1/searches/{search_id}/surface", {
          params: { path: { search_id: search } },
          body: { across, down, others, by },
        }),
      ),
    retry: false,
  });

/** The searches of a problem side by side. */
export const useSpending = (problem: number) =>
  useQuery({
    queryKey: keys.spending(problem),
    queryFn: () =>
      settled(api.GET("/api/v1/problems/{problem_id}/spending", { params: { path: { problem_id: problem } } })),
  });

export type FaceOff = Schemas["FaceOffView"];
export type Standing = Schemas["StandingView"];
export type FaceOffRequest = Schemas["FaceOffRequest"];

/** The face-offs of a problem, newest first; the ledger tells when a run ends. */
export const useFaceOffs = (problem: number) =>
  useQuery({
    queryKey: keys.faceoffs(problem),
    queryFn: () =>
      settled(api.GET("/api/v1/problems/{problem_id}/face-offs", { params: { path: { problem_id: problem } } })),
  });

export function useBeginFaceOff(problem: number) {
  const client = useQueryClient();
  return useMutation<FaceOff, Refusal, FaceOffRequest>({
    mutationFn: (body) =>
      settled(api.POST("/api/v1/problems/{problem_id}/face-offs", { params: { path: { problem_id: problem } }, body })),
    onSuccess: () => client.invalidateQueries({ queryKey: keys.faceoffs(problem) }),
  });
}

export function useSteerFaceOff(faceoff: FaceOff) {
  const client = useQueryClient();
  return useMutation<FaceOff, Refusal, Schemas["FaceOffStateRequest"]["state"]>({
    mutationFn: (state) =>
      settled(
        api.PUT("/api/v1/face-offs/{faceoff_id}/state", {
          params: { path: { faceoff_id: faceoff.id } },
          body: { state },
        }),
      ),
    onSettled: () => client.invalidateQueries({ queryKey: keys.faceoffs(faceoff.problem_id) }),
  });
}

/** Measures the way from the usual settings to the best, as a search of its own. */
export function useMeasurePath(search: number, onBegun: (made: Search) => void) {
  const client = useQueryClient();
  return useMutation<Search, Refusal>({
    mutationFn: () =>
      settled(api.POST("/api/v1/searches/{search_id}/path", { params: { path: { search_id: search } } })),
    onSuccess: async (made) => {
      await client.invalidateQueries({ queryKey: keys.searches(made.problem_id) });
      onBegun(made);
    },
  });
}

/** A combination that is the same function each time: the answer stays the same object until something has come. */
function gathered(found: UseQueryResult<Points>[]): Points[] | null {
  const known = found.flatMap((one) => one.data ?? []);
  return known.length === found.length ? known : null;
}

/** The trials of several searches as one list of columns; `of` says whose each is. `searches` is kept by whoever asks. */
export function usePointsOf(searches: number[]): { points: Points; of: number[] } | null {
  const known = useQueries({
    queries: searches.map((search) => ({
      queryKey: keys.points(search),
      staleTime: Infinity,
      queryFn: () =>
        settled(api.GET("/api/v1/searches/{search_id}/points", { params: { path: { search_id: search } } })),
    })),
    combine: gathered,
  });
  return useMemo(
    () =>
      known && {
        points: known.length === 1 ? known[0]! : joined(known),
        of: known.flatMap((one, i) => one.ids.map(() => searches[i]!)),
      },
    [known, searches],
  );
}

/** Columns one after another; a setting that a search does not have is empty there. */
export function joined(parts: Points[]): Points {
  const names = [...new Set(parts.flatMap((one) => Object.keys(one.values)))];
  const column = (key: keyof Points) => parts.flatMap((one) => one[key] as never[]);
  return {
    numbers: column("numbers"),
    ids: column("ids"),
    states: column("states"),
    origins: column("origins"),
    means: column("means"),
    standard_errors: column("standard_errors"),
    seconds: column("seconds"),
    ended_at: column("ended_at"),
    keeps: column("keeps"),
    values: Object.fromEntries(
      names.map((name) => [name, parts.flatMap((one) => one.values[name] ?? one.ids.map(() => null))]),
    ),
    fold_effects: parts[0]?.fold_effects ?? [],
    complete: parts.reduce((sum, one) => sum + one.complete, 0),
  };
}
