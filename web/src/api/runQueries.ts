/** What is read of runs and models, each under the key by which live events refresh it. */
import {
  type InfiniteData,
  keepPreviousData,
  type QueryClient,
  skipToken,
  useInfiniteQuery,
  useQueries,
  useQuery,
} from "@tanstack/react-query";
import type { Lesson, Part } from "../domain/network";
import { mayEndEarly } from "../domain/trainingSettings";
import {
  client,
  type LedgerOrder,
  type LedgerPage,
  type NetworkCheck,
  need,
  type OwnLookout,
  type Problem,
  type Run,
  type TrainingSettings,
} from "./client";

/** The Ledger in an order, as far as its pages were asked for. */
export function useLedger(projectId: number, order: LedgerOrder = "number", falling = true) {
  return useInfiniteQuery({
    queryKey: ["runs", projectId, order, falling],
    queryFn: ({ pageParam }) =>
      need(
        client.GET("/api/projects/{project_id}/runs", {
          params: {
            path: { project_id: projectId },
            query: { order, falling, ...(pageParam ? { after: pageParam } : {}) },
          },
        }),
      ),
    initialPageParam: "",
    getNextPageParam: (page) => page.after ?? undefined,
    placeholderData: keepPreviousData,
  });
}

export function runsOf(data: InfiniteData<LedgerPage> | undefined): readonly Run[] {
  return data?.pages.flatMap((page) => page.runs) ?? [];
}

/** One run that the pages read so far do not hold. */
export function useRun(runId: number | undefined) {
  return useQuery({
    queryKey: ["run", runId ?? 0],
    enabled: runId !== undefined,
    retry: false,
    queryFn: () => readRun(runId ?? 0),
  });
}

function readRun(runId: number): Promise<Run> {
  return need(client.GET("/api/runs/{run_id}", { params: { path: { run_id: runId } } }));
}

/** Reads one run and puts it in its places, whichever pages those are on; the others stay as they are. */
export async function refreshRun(queries: QueryClient, runId: number): Promise<void> {
  const epochs = Promise.all(
    ["epochs", "lookouts", "layers"].map((key) => queries.invalidateQueries({ queryKey: [key, runId] })),
  );
  const run = await readRun(runId);
  queries.setQueryData(["run", runId], run);
  queries.setQueriesData<InfiniteData<LedgerPage>>(
    { queryKey: ["runs"] },
    (data) =>
      data && {
        ...data,
        pages: data.pages.map((page) => ({
          ...page,
          runs: page.runs.map((entry) => (entry.id === runId ? run : entry)),
        })),
      },
  );
  await epochs;
}

function epochsOf(runId: number) {
  return {
    queryKey: ["epochs", runId],
    queryFn: () => need(client.GET("/api/runs/{run_id}/epochs", { params: { path: { run_id: runId } } })),
  };
}

export function useEpochs(runId: number) {
  return useQuery(epochsOf(runId));
}

/** What each lookout of a run says. */
export function useLookouts(runId: number) {
  return useQuery({
    queryKey: ["lookouts", runId],
    queryFn: () => need(client.GET("/api/runs/{run_id}/lookouts", { params: { path: { run_id: runId } } })),
  });
}

/** What the layers of a run did. */
export function useLayers(runId: number) {
  return useQuery({
    queryKey: ["layers", runId],
    queryFn: () => need(client.GET("/api/runs/{run_id}/layers", { params: { path: { run_id: runId } } })),
    placeholderData: keepPreviousData,
  });
}

export function useLookoutKinds() {
  return useQuery({
    queryKey: ["lookout-kinds"],
    queryFn: () => need(client.GET("/api/lookouts")),
    staleTime: Infinity,
  });
}

/** What a lookout of one's own would have found in earlier runs. */
export function useLookoutTrial(projectId: number, own: OwnLookout) {
  return useQuery({
    queryKey: ["lookout-trial", projectId, own],
    retry: false,
    gcTime: 10_000,
    queryFn: () =>
      need(
        client.POST("/api/projects/{project_id}/lookout-trial", {
          params: { path: { project_id: projectId } },
          body: own,
        }),
      ),
    placeholderData: keepPreviousData,
  });
}

/** The ready networks, and another one by its name, such as a wider one that a search made. */
export function useNetworks(projectId: number, lesson: Lesson, also = "") {
  return useQuery({
    queryKey: ["networks", projectId, lesson, also],
    retry: false,
    queryFn: () =>
      need(
        client.GET("/api/projects/{project_id}/networks", {
          params: { path: { project_id: projectId }, query: { ...lesson, also } },
        }),
      ),
    placeholderData: keepPreviousData,
  });
}

/** The layers and blocks that a network can be made of. */
export function useNetworkParts() {
  return useQuery({
    queryKey: ["network-parts"],
    queryFn: () => need(client.GET("/api/network-parts")),
    staleTime: Infinity,
  });
}

export interface NetworkQuery {
  readonly layers: readonly Part[];
  readonly lesson: Lesson;
}

/** What a list of layers and blocks comes to; the answer before stays until the next one is here. */
export function useNetworkCheck(projectId: number, asked: NetworkQuery | undefined) {
  return useQuery<NetworkCheck, Problem>({
    queryKey: ["network-check", projectId, asked],
    retry: false,
    gcTime: 10_000,
    queryFn: asked
      ? ({ signal }) =>
          need(
            client.POST("/api/projects/{project_id}/network-check", {
              params: { path: { project_id: projectId } },
              body: { layers: [...asked.layers], ...asked.lesson },
              signal,
            }),
          )
      : skipToken,
    placeholderData: keepPreviousData,
  });
}

/** What *Train* uses when nothing was changed, for so many pictures to learn from. */
export function useDefaultRecipe(pictures: number) {
  return useQuery({
    queryKey: ["recipe", pictures],
    queryFn: () => need(client.GET("/api/recipe", { params: { query: { pictures } } })),
    placeholderData: keepPreviousData,
    staleTime: Infinity,
  });
}

/** The learning rate over a training, first step to last. */
export function useRateLine(settings: TrainingSettings, steps: number, newEpochs: number) {
  return useQuery({
    queryKey: ["rate-line", settings, steps, newEpochs],
    enabled: steps > 0,
    retry: false,
    staleTime: Infinity,
    gcTime: 10_000,
    queryFn: () => need(client.POST("/api/rate-line", { body: { settings, steps, new_epochs: newEpochs } })),
    placeholderData: keepPreviousData,
  });
}

/** What trains and what waits for its turn, of all projects. */
export function useQueue() {
  return useQuery({ queryKey: ["queue"], queryFn: () => need(client.GET("/api/queue")) });
}

/** Conditions of an early end, tried on the last runs; nothing while there are none. */
export function useEndingTrial(projectId: number, settings: TrainingSettings | undefined, newEpochs: number) {
  return useQuery({
    queryKey: ["ending-trial", projectId, settings, newEpochs],
    enabled: settings !== undefined && mayEndEarly(settings),
    retry: false,
    gcTime: 10_000,
    queryFn: () =>
      need(
        client.POST("/api/projects/{project_id}/ending-trial", {
          params: { path: { project_id: projectId } },
          body: { settings: settings ?? {}, new_epochs: newEpochs },
        }),
      ),
    placeholderData: keepPreviousData,
  });
}

export function useTrainingSettings() {
  return useQuery({
    queryKey: ["training-settings"],
    queryFn: () => need(client.GET("/api/training-settings")),
    staleTime: Infinity,
  });
}

/** What hangs on a run: files, packs, judgements and looks. */
export function useHoldings(runId: number) {
  return useQuery({
    queryKey: ["holdings", runId],
    queryFn: () => need(client.GET("/api/runs/{run_id}/holdings", { params: { path: { run_id: runId } } })),
  });
}

export function useFooting(projectId: number, runId: number | undefined) {
  return useQuery({
    queryKey: ["footing", projectId, runId ?? 0],
    enabled: runId !== undefined,
    queryFn: () =>
      need(client.GET("/api/runs/{run_id}/footing", { params: { path: { run_id: runId ?? 0 } } })),
  });
}

/** The epochs of several runs. */
export function useEpochsOf(runIds: readonly number[]) {
  return useQueries({
    queries: runIds.map((runId) => epochsOf(runId)),
  });
}

/** The forms in which a model is handed over. */
export function useForms() {
  return useQuery({
    queryKey: ["forms"],
    queryFn: () => need(client.GET("/api/forms")),
    staleTime: Infinity,
  });
}

export function useExports(modelId: number) {
  return useQuery({
    queryKey: ["exports", modelId],
    queryFn: () =>
      need(client.GET("/api/models/{model_id}/exports", { params: { path: { model_id: modelId } } })),
  });
}
