/** What the screens read of variations, preprocessings and splits, and the sheets that show what they do. */
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import type { Answers } from "../domain/variationAnswers";
import { client, type DrawnSheet, need, type Preprocessing, type Problem, type Variation } from "./client";

/** Everything that a variation can be made of. */
export function useOperations() {
  return useQuery({
    queryKey: ["operations"],
    queryFn: () => need(client.GET("/api/operations")),
    staleTime: Infinity,
  });
}

/** The variation that answers about the pictures allow, as strong as the one before: that goes by their number. */
export async function answeredVariation(
  answers: Answers,
  channels: number,
  before: Variation,
): Promise<Variation> {
  const query = { ...answers, channels };
  const found = await need(client.GET("/api/variation-by-answers", { params: { query } }));
  return { ...found, strength: before.strength ?? 1 };
}

/** What is kept by name, the newest version of each name first. */
export function useIngredients(projectId: number, kind: "variation" | "preprocessing" | "network") {
  return useQuery({
    queryKey: ["ingredients", projectId, kind],
    queryFn: () =>
      need(
        client.GET("/api/projects/{project_id}/ingredients/{kind}", {
          params: { path: { project_id: projectId, kind } },
        }),
      ),
  });
}

export interface SheetQuery {
  readonly preprocessing: Preprocessing;
  readonly variation: Variation;
  readonly pictureIds: readonly number[];
  readonly pictures: number;
  readonly variants: number;
  readonly seed: number;
  readonly split: number | undefined;
}

/** Pictures as training would show them. Drawn again whenever anything in the question changes. */
export function useVariationSheet(projectId: number, asked: SheetQuery, enabled = true) {
  return useQuery<DrawnSheet, Problem>({
    queryKey: ["pictures", "variation-sheet", projectId, asked],
    enabled,
    retry: false,
    gcTime: 10_000,
    queryFn: ({ signal }) =>
      need(
        client.POST("/api/projects/{project_id}/variation-sheet", {
          params: { path: { project_id: projectId } },
          body: {
            preprocessing: asked.preprocessing,
            variation: asked.variation,
            picture_ids: [...asked.pictureIds],
            pictures: asked.pictures,
            variants: asked.variants,
            seed: asked.seed,
            split_id: asked.split ?? null,
          },
          signal,
        }),
      ),
    placeholderData: keepPreviousData,
  });
}

/** One picture with each operation alone at both ends of its range. */
export function useExtremes(
  projectId: number,
  preprocessing: Preprocessing,
  variation: Variation,
  pictureIds: readonly number[],
  enabled: boolean,
) {
  return useQuery<DrawnSheet, Problem>({
    queryKey: ["pictures", "extremes", projectId, preprocessing, variation, pictureIds],
    enabled,
    retry: false,
    gcTime: 10_000,
    queryFn: ({ signal }) =>
      need(
        client.POST("/api/projects/{project_id}/operation-extremes", {
          params: { path: { project_id: projectId } },
          body: { preprocessing, variation, picture_ids: [...pictureIds] },
          signal,
        }),
      ),
    placeholderData: keepPreviousData,
  });
}

/** Originals beside what the network sees of them: after each step, or in each way to fit them to the square. */
export function usePreprocessingSheet(
  projectId: number,
  preprocessing: Preprocessing,
  pictureIds: readonly number[],
  steps: boolean,
) {
  return useQuery<DrawnSheet, Problem>({
    queryKey: ["pictures", "preprocessing-sheet", projectId, preprocessing, pictureIds, steps],
    retry: false,
    gcTime: 10_000,
    queryFn: ({ signal }) =>
      need(
        client.POST("/api/projects/{project_id}/preprocessing-sheet", {
          params: { path: { project_id: projectId } },
          body: { preprocessing, picture_ids: [...pictureIds], pictures: steps ? 3 : 6, steps },
          signal,
        }),
      ),
    placeholderData: keepPreviousData,
  });
}

export function useInputSize(projectId: number) {
  return useQuery({
    queryKey: ["pictures", "input-size", projectId],
    retry: false,
    queryFn: () =>
      need(
        client.GET("/api/projects/{project_id}/input-size", { params: { path: { project_id: projectId } } }),
      ),
  });
}

export function useSplitChecks(projectId: number, splitId: number | undefined) {
  return useQuery({
    queryKey: ["splits", "checks", projectId, splitId ?? 0],
    enabled: splitId !== undefined,
    queryFn: () =>
      need(
        client.GET("/api/projects/{project_id}/splits/{split_id}/checks", {
          params: { path: { project_id: projectId, split_id: splitId ?? 0 } },
        }),
      ),
  });
}

/** How a training would divide the pictures of a project that has no split. */
/** Shares that suit the number of labelled pictures. */
export function useProposal(projectId: number) {
  return useQuery({
    queryKey: ["splits", "proposal", projectId],
    queryFn: () =>
      need(
        client.GET("/api/projects/{project_id}/splits/proposal", {
          params: { path: { project_id: projectId } },
        }),
      ),
  });
}

/** Between which ends sets of so many pictures would tell an accuracy. */
export function useIntervals(counts: readonly number[], accuracy: number) {
  return useQuery({
    queryKey: ["intervals", counts, accuracy],
    enabled: counts.length > 0,
    queryFn: () =>
      need(client.GET("/api/intervals", { params: { query: { count: [...counts], accuracy } } })),
    staleTime: Infinity,
    gcTime: 10_000,
    placeholderData: keepPreviousData,
  });
}

export function useDivisionAhead(projectId: number, seed: number, enabled: boolean) {
  return useQuery({
    queryKey: ["splits", "ahead", projectId, seed],
    enabled,
    queryFn: () =>
      need(
        client.GET("/api/projects/{project_id}/splits/ahead", {
          params: { path: { project_id: projectId }, query: { seed } },
        }),
      ),
    placeholderData: keepPreviousData,
  });
}

export function useFolds(projectId: number, splitId: number, count: number, seed: number) {
  return useQuery({
    queryKey: ["splits", "folds", projectId, splitId, count, seed],
    retry: false,
    queryFn: () =>
      need(
        client.GET("/api/projects/{project_id}/splits/{split_id}/folds", {
          params: { path: { project_id: projectId, split_id: splitId }, query: { count, seed } },
        }),
      ),
    placeholderData: keepPreviousData,
  });
}

export function useSplitsBeside(projectId: number, splitId: number, otherId: number) {
  return useQuery({
    queryKey: ["splits", "beside", projectId, splitId, otherId],
    enabled: otherId > 0,
    queryFn: () =>
      need(
        client.GET("/api/projects/{project_id}/splits/{split_id}/beside/{other_id}", {
          params: { path: { project_id: projectId, split_id: splitId, other_id: otherId } },
        }),
      ),
  });
}
