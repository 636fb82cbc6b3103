/** Network files that come in: looked at as often as something is answered, then brought in. */
import { keepPreviousData, skipToken, useQuery } from "@tanstack/react-query";
import { client, type NetworkFile, type NetworkFileAnswers, need, type Problem, type Run } from "./client";

export function useNetworkFile(projectId: number, upload: string | undefined, answers: NetworkFileAnswers) {
  return useQuery<NetworkFile, Problem>({
    queryKey: ["network-file", projectId, upload, answers],
    retry: false,
    gcTime: 60_000,
    staleTime: Infinity,
    placeholderData: keepPreviousData,
    queryFn: upload
      ? ({ signal }) =>
          need(
            client.POST("/api/projects/{project_id}/network-file-looks", {
              params: { path: { project_id: projectId } },
              body: { upload, answers },
              signal,
            }),
          )
      : skipToken,
  });
}

/** Rejects with a `Problem`. */
export function bringInNetwork(projectId: number, upload: string, answers: NetworkFileAnswers): Promise<Run> {
  return need(
    client.POST("/api/projects/{project_id}/network-files", {
      params: { path: { project_id: projectId } },
      body: { upload, answers },
    }),
  );
}
