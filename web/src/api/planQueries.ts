/** What is read of plans of many runs, and what is asked of them. */
import { keepPreviousData, type QueryClient, useQuery } from "@tanstack/react-query";
import { recipeBody } from "../domain/start";
import { client, need, type Recipe, type RunPlanCreate } from "./client";

export function usePlans(projectId: number) {
  return useQuery({
    queryKey: ["plans", projectId],
    queryFn: () =>
      need(client.GET("/api/projects/{project_id}/plans", { params: { path: { project_id: projectId } } })),
  });
}

export function useRunPlan(planId: number) {
  return useQuery({
    queryKey: ["plan", planId],
    queryFn: () => need(client.GET("/api/plans/{plan_id}", { params: { path: { plan_id: planId } } })),
  });
}

/** A figure of every epoch of each trial, by its number. */
export function usePlanCurves(planId: number, figure: string) {
  return useQuery({
    queryKey: ["plan-curves", planId, figure],
    queryFn: () =>
      need(
        client.GET("/api/plans/{plan_id}/curves", {
          params: { path: { plan_id: planId }, query: { figure } },
        }),
      ),
    placeholderData: keepPreviousData,
  });
}

/** Everything that a search can vary about a recipe, and what is proposed. */
export function useKnobs(projectId: number, recipe: Recipe) {
  return useQuery({
    queryKey: ["knobs", projectId, recipe],
    retry: false,
    queryFn: () =>
      need(
        client.POST("/api/projects/{project_id}/knobs", {
          params: { path: { project_id: projectId } },
          body: { recipe: recipeBody(recipe) },
        }),
      ),
  });
}

/** What a plan would come to; the answer before stays until the next one is here. */
export function usePlanSketch(projectId: number, body: RunPlanCreate | undefined) {
  return useQuery({
    queryKey: ["plan-sketch", projectId, body],
    enabled: body !== undefined,
    retry: false,
    gcTime: 10_000,
    queryFn: ({ signal }) =>
      need(
        client.POST("/api/projects/{project_id}/plan-sketch", {
          params: { path: { project_id: projectId } },
          body: body as RunPlanCreate,
          signal,
        }),
      ),
    placeholderData: keepPreviousData,
  });
}

export function beginPlan(projectId: number, body: RunPlanCreate) {
  return need(
    client.POST("/api/projects/{project_id}/plans", { params: { path: { project_id: projectId } }, body }),
  );
}

export type PlanAct = "pause" | "go-on" | "stop";

/** Pauses a plan, lets it go on, or ends it; what it is then is shown at once. */
export async function actOnPlan(queries: QueryClient, planId: number, act: PlanAct): Promise<void> {
  const path = { params: { path: { plan_id: planId } } };
  const plan = await (act === "pause"
    ? need(client.POST("/api/plans/{plan_id}/pause", path))
    : act === "go-on"
      ? need(client.POST("/api/plans/{plan_id}/go-on", path))
      : need(client.POST("/api/plans/{plan_id}/stop", path)));
  queries.setQueryData(["plan", planId], plan);
}

export async function addToPlan(
  queries: QueryClient,
  planId: number,
  body: { trials: number; minutes: number | null },
): Promise<void> {
  const plan = await need(
    client.POST("/api/plans/{plan_id}/add", { params: { path: { plan_id: planId } }, body }),
  );
  queries.setQueryData(["plan", planId], plan);
}

/** The set-up of a run once more, on training and validation together. */
export function trainFinally(runId: number) {
  return need(client.POST("/api/runs/{run_id}/final-training", { params: { path: { run_id: runId } } }));
}

/** Lets several models answer as one, as a job; what comes of it is a run. */
export function combineModels(
  projectId: number,
  body: { model_ids: number[]; fitted: boolean; name: string },
) {
  return need(
    client.POST("/api/projects/{project_id}/combinations", {
      params: { path: { project_id: projectId } },
      body,
    }),
  );
}

/** Lets a run of a plan stand in the plain Ledger too. */
export function listRun(runId: number) {
  return need(client.POST("/api/runs/{run_id}/list", { params: { path: { run_id: runId } } }));
}

/** Where trainings go on, and what does there. */
export function useTrainers() {
  return useQuery({
    queryKey: ["trainers"],
    queryFn: () => need(client.GET("/api/trainers")),
    refetchInterval: 2000,
  });
}

/** By how much a plan of folds is better than another over the same folds. */
export function useFoldsBeside(planId: number, otherId: number | undefined) {
  return useQuery({
    queryKey: ["folds-beside", planId, otherId],
    enabled: otherId !== undefined,
    retry: false,
    queryFn: () =>
      need(
        client.GET("/api/plans/{plan_id}/beside/{other_id}", {
          params: { path: { plan_id: planId, other_id: otherId ?? 0 } },
        }),
      ),
  });
}
