/** What the screens read of models on offer. */
import { useQuery } from "@tanstack/react-query";
import { client, need, type Offer, type Problem } from "./client";

/** By name, the newest version first. */
export function useOffers(projectId: number) {
  return useQuery<Offer[], Problem>({
    queryKey: ["offers", projectId],
    queryFn: () =>
      need(client.GET("/api/projects/{project_id}/offers", { params: { path: { project_id: projectId } } })),
  });
}
