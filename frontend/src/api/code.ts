import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, settled, type Problem, type Refusal, type Schemas } from "./client";
import { keys } from "./keys";

export type CodeBrief = Schemas["CodeBriefView"];
export type CodeRequest = Schemas["CodeBriefRequest"];
export type FirstLook = Schemas["FirstLookView"];
export type Help = Schemas["HelpView"];

/** The folders from which own code may be run. */
export const useFolders = () =>
  useQuery({
    queryKey: keys.folders,
    staleTime: Infinity,
    queryFn: () => settled(api.GET("/api/v1/own-code/folders")),
  });

export const useHelp = (onHelp: (help: Help) => void) =>
  useMutation<Help, Refusal, Schemas["HelpRequest"]>({
    mutationFn: (body) => settled(api.POST("/api/v1/own-code/help", { body })),
    onSuccess: onHelp,
  });

export const useFirstLook = () =>
  useMutation<FirstLook, Refusal, Schemas["FirstLookRequest"]>({
    mutationFn: (body) => settled(api.POST("/api/v1/own-code/first-look", { body })),
  });

/** Keeps a problem of own code, a new one or a changed one. */
export function useSaveCode(problem: number | null, onSaved: (saved: Problem) => void) {
  const client = useQueryClient();
  return useMutation<Problem, Refusal, Schemas["CodeProblemRequest"]>({
    mutationFn: (body) =>
      problem === null
        ? settled(api.POST("/api/v1/own-code/problems", { body }))
        : settled(
            api.PUT("/api/v1/own-code/problems/{problem_id}", { params: { path: { problem_id: problem } }, body }),
          ),
    onSuccess: (saved) => {
      for (const queryKey of [keys.problems, keys.problem(saved.id)]) void client.invalidateQueries({ queryKey });
      onSaved(saved);
    },
  });
}

/** The address of a file that a fit kept. */
export const keptAt = (trial: number, fold: number, name: string) =>
  `/api/v1/trials/${trial}/kept?fold=${fold}&name=${encodeURIComponent(name)}`;

/** A kept text, read only when it is opened. */
export const useKeptText = (trial: number, fold: number, name: string, wanted: boolean) =>
  useQuery({
    queryKey: keys.kept(trial, fold, name),
    enabled: wanted,
    staleTime: Infinity,
    queryFn: async () => (await fetch(keptAt(trial, fold, name))).text(),
  });
