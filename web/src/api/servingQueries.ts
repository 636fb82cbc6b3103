/** What is served where, and the tokens of those who may ask. */
import { useQuery } from "@tanstack/react-query";
import { client, need, type Problem, type Served, type Token } from "./client";

/** A process that is being started is asked for again, and figures of one that answers. */
const STARTING_MS = 1500;
const FIGURES_MS = 5000;

export function useServing() {
  return useQuery<Served, Problem>({
    queryKey: ["serving"],
    queryFn: () => need(client.GET("/api/serving")),
    refetchInterval: ({ state: { data } }) =>
      data?.models.length && data.address ? (data.answers ? FIGURES_MS : STARTING_MS) : false,
  });
}

export function useTokens() {
  return useQuery<Token[], Problem>({
    queryKey: ["tokens"],
    queryFn: () => need(client.GET("/api/tokens")),
  });
}
