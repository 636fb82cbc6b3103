/** What the screens read of working areas. */
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { type Area, storable } from "../domain/area";
import { type AreaRules, type AreaSample, client, type FoundArea, need, type Problem } from "./client";

export type FreshBy = AreaRules["fresh_by"];

export function useAreaRules(projectId: number) {
  return useQuery<AreaRules, Problem>({
    queryKey: ["areas", "rules", projectId],
    queryFn: () =>
      need(
        client.GET("/api/projects/{project_id}/area-rules", { params: { path: { project_id: projectId } } }),
      ),
  });
}

export function useAreaVersions(projectId: number, enabled: boolean) {
  return useQuery<AreaRules[], Problem>({
    queryKey: ["areas", "versions", projectId],
    enabled,
    queryFn: () =>
      need(
        client.GET("/api/projects/{project_id}/area-rules/versions", {
          params: { path: { project_id: projectId } },
        }),
      ),
  });
}

export function useAreaCounts(projectId: number) {
  return useQuery({
    queryKey: ["areas", "counts", projectId],
    queryFn: () =>
      need(
        client.GET("/api/projects/{project_id}/area-counts", { params: { path: { project_id: projectId } } }),
      ),
  });
}

export interface SampleQuery {
  readonly sift: string;
  readonly count: number;
  readonly turn: number;
  /** These pictures instead. */
  readonly pictureIds: readonly number[];
}

/** Some of the pictures, with the working area that each has now. */
export function useAreaSample(projectId: number, asked: SampleQuery) {
  return useQuery<AreaSample[], Problem>({
    queryKey: ["areas", "sample", projectId, asked],
    retry: false,
    queryFn: () =>
      need(
        client.GET("/api/projects/{project_id}/area-sample", {
          params: {
            path: { project_id: projectId },
            query: {
              sift: asked.sift,
              count: asked.count,
              turn: asked.turn,
              rule: true,
              ...(asked.pictureIds.length ? { picture: [...asked.pictureIds] } : {}),
            },
          },
        }),
      ),
    placeholderData: keepPreviousData,
  });
}

/** What stands out of pictures. */
export function findAreas(
  projectId: number,
  pictureIds: readonly number[],
  area: Area,
  signal: AbortSignal,
): Promise<FoundArea[]> {
  return need(
    client.POST("/api/projects/{project_id}/found-areas", {
      params: { path: { project_id: projectId } },
      body: { picture_ids: [...pictureIds], area: storable(area) },
      signal,
    }),
  );
}

/** What stands out of one picture, where its part is found by itself. */
export function useFoundArea(projectId: number, pictureId: number, area: Area) {
  return useQuery<FoundArea | undefined, Problem>({
    queryKey: ["pictures", "found-area", projectId, pictureId, area],
    enabled: area.margin !== null,
    retry: false,
    queryFn: async ({ signal }) => (await findAreas(projectId, [pictureId], area, signal))[0],
  });
}
