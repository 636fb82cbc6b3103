/** What trainings can start from, and what each would take over. */
import { keepPreviousData, skipToken, useQuery } from "@tanstack/react-query";
import { recipeBody, type StartSource } from "../domain/start";
import { client, need, type Problem, type Recipe, type StartFacts, type StartPlan } from "./client";

export function useStarters() {
  return useQuery({
    queryKey: ["starters"],
    queryFn: () => need(client.GET("/api/starters")),
    staleTime: Infinity,
  });
}

/** Of all projects, this one's first. */
export function useStartingModels(projectId: number) {
  return useQuery({
    queryKey: ["starting-models", projectId],
    queryFn: () =>
      need(
        client.GET("/api/projects/{project_id}/starting-models", {
          params: { path: { project_id: projectId } },
        }),
      ),
  });
}

export function readStart(source: StartSource): Promise<StartFacts> {
  return need(client.GET("/api/starting-point", { params: { query: { ...source } } }));
}

/** What a recipe would take over from what it starts from; nothing where it starts from nothing. */
export function useStartPlan(
  projectId: number,
  recipe: Recipe | undefined,
  sets: { readonly training: number; readonly validation: number } | undefined,
) {
  const asked = recipe?.start && {
    recipe: recipeBody(recipe),
    training: sets?.training ?? 0,
    validation: sets?.validation ?? 0,
  };
  const plan = useQuery<StartPlan, Problem>({
    queryKey: ["start-plan", projectId, asked],
    retry: false,
    gcTime: 10_000,
    queryFn: asked
      ? ({ signal }) =>
          need(
            client.POST("/api/projects/{project_id}/start-plan", {
              params: { path: { project_id: projectId } },
              body: asked,
              signal,
            }),
          )
      : skipToken,
    placeholderData: keepPreviousData,
  });
  return { plan: asked ? plan.data : undefined, problem: asked ? plan.error : null };
}

export type StartPlanned = ReturnType<typeof useStartPlan>;
