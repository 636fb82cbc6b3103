/** What is read of what models said: each under the key by which live events refresh it. */
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import {
  type AnswerProposal,
  client,
  type Heatmap,
  type JudgedSet,
  type Model,
  type Nearest,
  need,
  type Problem,
  sendFiles,
} from "./client";

/** Validation answers by itself; test only under a look that was counted. */
function lookQuery(look: number | undefined): { look?: number } {
  return look ? { look } : {};
}

/** The labels that a set is judged by. */
export type Labels = "then" | "today";

export function useJudgement(
  modelId: number,
  set: JudgedSet,
  look: number | undefined,
  known = true,
  labels: Labels = "then",
) {
  return useQuery({
    queryKey: ["judgement", modelId, set, look ?? 0, labels],
    enabled: known && (set !== "test" || look !== undefined),
    retry: false,
    queryFn: () =>
      need(
        client.GET("/api/models/{model_id}/judgement", {
          params: { path: { model_id: modelId }, query: { set, labels, ...lookQuery(look) } },
        }),
      ),
  });
}

/** What stands out in a judged set, in a few sentences. */
export function useInShort(modelId: number, set: JudgedSet, look: number | undefined, known: boolean) {
  return useQuery({
    queryKey: ["in-short", modelId, set, look ?? 0],
    enabled: known && set !== "unlabelled" && (set !== "test" || look !== undefined),
    retry: false,
    queryFn: () =>
      need(
        client.GET("/api/models/{model_id}/in-short", {
          params: { path: { model_id: modelId }, query: { set, ...lookQuery(look) } },
        }),
      ),
  });
}

/** How many pictures in no set a model could be asked about now. */
export function useOutside(modelId: number) {
  return useQuery({
    queryKey: ["outside", modelId],
    queryFn: () =>
      need(client.GET("/api/models/{model_id}/outside", { params: { path: { model_id: modelId } } })),
  });
}

/** The sets that a model was judged on. */
export function useJudgedSets(modelId: number) {
  return useQuery({
    queryKey: ["judged-sets", modelId],
    queryFn: () =>
      need(client.GET("/api/models/{model_id}/judgements", { params: { path: { model_id: modelId } } })),
  });
}

/** How sure the figures of a judged set are. */
export function useSureness(modelId: number, set: JudgedSet, look: number | undefined, known: boolean) {
  return useQuery({
    queryKey: ["sureness", modelId, set, look ?? 0],
    enabled: known && (set !== "test" || look !== undefined),
    retry: false,
    queryFn: () =>
      need(
        client.GET("/api/models/{model_id}/sureness", {
          params: { path: { model_id: modelId }, query: { set, ...lookQuery(look) } },
        }),
      ),
  });
}

/** Facts of pictures that go with errors. */
export function useSlices(modelId: number, set: JudgedSet, look: number | undefined, any: boolean) {
  return useQuery({
    enabled: any,
    queryKey: ["slices", modelId, set, look ?? 0],
    queryFn: () =>
      need(
        client.GET("/api/models/{model_id}/slices", {
          params: { path: { model_id: modelId }, query: { set, ...lookQuery(look) } },
        }),
      ),
  });
}

/** Two to four runs beside each other. */
export function useComparison(
  projectId: number,
  runIds: readonly number[],
  /** Counted ones, one for each run, for their test pictures; without them validation. */
  looks: readonly number[] | undefined,
  ready: boolean,
) {
  return useQuery({
    queryKey: ["comparison", projectId, runIds, looks ?? []],
    enabled: ready && runIds.length > 1,
    retry: false,
    placeholderData: keepPreviousData,
    queryFn: () =>
      need(
        client.GET("/api/projects/{project_id}/comparison", {
          params: {
            path: { project_id: projectId },
            query: { run: [...runIds], ...(looks ? { look: [...looks] } : {}) },
          },
        }),
      ),
  });
}

/** The training pictures that lie nearest to one, as the network sees them; known once its training set was judged. */
export function useNearest(model: Model, pictureId: number, look: number | undefined, known: boolean) {
  return useQuery({
    queryKey: ["nearest", model.id, model.digest, pictureId, look ?? 0],
    enabled: known,
    retry: false,
    queryFn: () =>
      need(
        client.GET("/api/models/{model_id}/pictures/{picture_id}/nearest", {
          params: { path: { model_id: model.id, picture_id: pictureId }, query: lookQuery(look) },
        }),
      ),
  });
}

/** Of a file that is not stored. */
export function useTriedNearest(
  model: Model,
  tried: { readonly key: string; readonly file: File },
  known: boolean,
) {
  return useQuery({
    queryKey: ["nearest", "tried", model.id, model.digest, tried.key],
    enabled: known,
    retry: false,
    staleTime: Infinity,
    queryFn: () => {
      const body = new FormData();
      body.append("file", tried.file, tried.file.name);
      return sendFiles<Nearest[]>("POST", `/api/models/${model.id}/try/nearest`, body);
    },
  });
}

/** What is asked of a heatmap. */
export interface Looking {
  readonly way: Heatmap["way"];
  /** A class, or the picture's own; the one that the model says, where none is named. */
  readonly classId: number | "label" | undefined;
  /** The one that is proposed, where none is named. */
  readonly layer: string | undefined;
}

/** Where a model looks in a picture; asked for only when it is to be seen. */
export function useHeatmap(
  model: Model | undefined,
  picture: { readonly id: number; readonly labelled: number | null },
  asked: Looking | undefined,
  look: number | undefined,
) {
  const classId = model && classOf(model, picture.labelled, asked);
  const of = { ...(asked ?? FIRST_LOOK), classId };
  return useQuery({
    queryKey: ["heatmap", model?.id ?? 0, model?.digest ?? "", picture.id, of, look ?? 0],
    enabled: model !== undefined && asked !== undefined,
    retry: false,
    staleTime: Infinity,
    queryFn: () => readHeatmap(model?.id ?? 0, picture.id, of, look),
  });
}

export const FIRST_LOOK: Looking = { way: "gradients", classId: undefined, layer: undefined };

/** The class that is meant; what the model says, where the picture's own is none that it knows. */
function classOf(model: Model, labelled: number | null, asked: Looking | undefined): number | undefined {
  if (asked?.classId !== "label") return asked?.classId;
  return model.classes.find((entry) => entry.id === labelled)?.id;
}

function readHeatmap(
  modelId: number,
  pictureId: number,
  of: { way: Heatmap["way"]; classId: number | undefined; layer: string | undefined },
  look: number | undefined,
): Promise<Heatmap> {
  return need(
    client.GET("/api/models/{model_id}/pictures/{picture_id}/heatmap", {
      params: {
        path: { model_id: modelId, picture_id: pictureId },
        query: {
          way: of.way,
          ...(of.classId === undefined ? {} : { class_id: of.classId }),
          ...(of.layer === undefined || of.way === "covering" ? {} : { layer: of.layer }),
          ...lookQuery(look),
        },
      },
    }),
  );
}

/** Where a model looks in a file that is not stored. */
export function useTriedHeatmap(
  model: Model,
  tried: { readonly key: string; readonly file: File },
  asked: Looking | undefined,
) {
  return useQuery({
    queryKey: ["heatmap", "tried", model.id, tried.key, asked],
    enabled: asked !== undefined,
    retry: false,
    staleTime: Infinity,
    queryFn: () => {
      const of = asked ?? FIRST_LOOK;
      const query = new URLSearchParams({ way: of.way });
      const classId = classOf(model, null, of);
      if (classId !== undefined) query.set("class_id", String(classId));
      if (of.layer !== undefined && of.way !== "covering") query.set("layer", of.layer);
      const body = new FormData();
      body.append("file", tried.file, tried.file.name);
      return sendFiles<Heatmap>("POST", `/api/models/${model.id}/try/heatmap?${query}`, body);
    },
  });
}

/** Reads the heatmaps of tiles: for what the model says, for the label of each, or for one class. */
export function heatReader(model: Model, classId: Looking["classId"], look: number | undefined) {
  return (pictureId: number, labelled: number) =>
    readHeatmap(
      model.id,
      pictureId,
      { ...FIRST_LOOK, classId: classOf(model, labelled, { ...FIRST_LOOK, classId }) },
      look,
    );
}

/** Of each class how many unlabelled pictures the model proposes it for, and for how many with this certainty. */
export function useProposals(modelId: number, least: number) {
  return useQuery<AnswerProposal[], Problem>({
    queryKey: ["judgement", "proposals", modelId, least],
    queryFn: () =>
      need(
        client.GET("/api/models/{model_id}/proposals", {
          params: { path: { model_id: modelId }, query: { least } },
        }),
      ),
    placeholderData: keepPreviousData,
  });
}
