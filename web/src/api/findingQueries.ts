/** Findings of a project: read as lines, of one picture, and how a measure is distributed. */
import { useQuery } from "@tanstack/react-query";
import { client, type FindingLine, need } from "./client";

type Measure = "light" | "span" | "blur" | "noise" | "cut" | "side" | "shape";

export function useFindings(projectId: number, fieldStands: boolean) {
  return useQuery({
    queryKey: ["findings", projectId],
    enabled: fieldStands,
    queryFn: () =>
      need(
        client.GET("/api/projects/{project_id}/findings", { params: { path: { project_id: projectId } } }),
      ),
  });
}

/** What waits to be settled of one picture. */
export function usePictureFindings(projectId: number, pictureId: number) {
  return useQuery({
    queryKey: ["findings", projectId, "picture", pictureId],
    queryFn: () =>
      need(
        client.GET("/api/projects/{project_id}/findings/pictures/{picture_id}", {
          params: { path: { project_id: projectId, picture_id: pictureId } },
        }),
      ),
  });
}

/** How a measure is distributed, and what of it is named. */
export function useHistogram(projectId: number, line: FindingLine) {
  const measure = line.measure as Measure;
  return useQuery({
    queryKey: ["findings", projectId, "histogram", measure, line.name],
    queryFn: () =>
      need(
        client.GET("/api/projects/{project_id}/findings/histogram", {
          params: { path: { project_id: projectId }, query: { measure, kind: line.name } },
        }),
      ),
  });
}
