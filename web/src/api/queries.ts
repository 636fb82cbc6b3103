/** What the screens read, each under the key by which live events refresh it. */
import { keepPreviousData, useQuery, useQueryClient } from "@tanstack/react-query";
import { FieldIndex, fromBase64, joined } from "../domain/fieldIndex";
import type { GroupKey } from "../domain/fieldRows";
import { type Choice, client, type FieldRowOf, need, needBytes, type Problem } from "./client";

export function useProjects(deleted = false) {
  return useQuery({
    queryKey: ["projects", deleted],
    queryFn: () => need(client.GET("/api/projects", { params: { query: { deleted } } })),
  });
}

/** A few pictures of a project, and its newest result. */
export function useProjectGlimpse(projectId: number) {
  return useQuery({
    queryKey: ["projects", projectId, "glimpse"],
    queryFn: () =>
      need(client.GET("/api/projects/{project_id}/glimpse", { params: { path: { project_id: projectId } } })),
  });
}

export function useProject(projectId: number) {
  return useQuery({
    queryKey: ["projects", projectId],
    queryFn: () =>
      need(client.GET("/api/projects/{project_id}", { params: { path: { project_id: projectId } } })),
  });
}

export function useClasses(projectId: number) {
  return useQuery({
    queryKey: ["classes", projectId],
    queryFn: () =>
      need(client.GET("/api/projects/{project_id}/classes", { params: { path: { project_id: projectId } } })),
  });
}

/** What the field shows: which pictures, in which rows, and what `set:` and `predicted:` mean. */
export interface FieldQuery {
  readonly sift: string;
  readonly group: GroupKey;
  readonly split: number | undefined;
  readonly run: number | undefined;
  /** The counted look at the test set that its results are shown under. */
  readonly look: number | undefined;
  /** The picture that `order:like` compares with. */
  readonly like: number | undefined;
  /** With what the run says next, and whether it says "unsure". */
  readonly answers?: boolean;
}

/** What an address says of a Sift's context, as the server reads it. */
function contextOf(asked: Omit<FieldQuery, "sift" | "group">): {
  split?: number;
  run?: number;
  look?: number;
  like?: number;
} {
  const { split, run, look, like } = asked;
  return {
    ...(split ? { split } : {}),
    ...(run ? { run } : {}),
    ...(look ? { look } : {}),
    ...(like ? { like } : {}),
  };
}

export interface FieldData {
  readonly rows: readonly FieldRowOf[];
  readonly total: number;
  readonly index: FieldIndex;
}

/** Records of the first answer: more than a screen of the smallest tiles holds. */
const FIRST_RECORDS = 6000;

/**
 * Rows with their counts and every picture's place. The first screen comes first; where nothing was on show before, it
 * is shown while the rest is on its way.
 */
export function useField(projectId: number, asked: FieldQuery) {
  const queries = useQueryClient();
  const key = ["pictures", "field", projectId, asked];
  return useQuery<FieldData, Problem>({
    queryKey: key,
    retry: false,
    queryFn: async ({ signal }) => {
      const query = {
        sift: asked.sift,
        group: asked.group,
        figure: true,
        ...(asked.answers ? { answers: true } : {}),
        ...contextOf(asked),
      };
      const counted = await need(
        client.GET("/api/projects/{project_id}/field", {
          params: { path: { project_id: projectId }, query: { ...query, first: FIRST_RECORDS } },
          signal,
        }),
      );
      const { rows, total } = counted;
      const figure = counted.figure ?? undefined;
      const first = fromBase64(counted.first);
      const has = { figure, answers: asked.answers };
      const begun = { rows, total, index: new FieldIndex(first, total, has) };
      if (total <= FIRST_RECORDS) return begun;
      if (queries.getQueryData(key) === undefined) queries.setQueryData(key, begun);
      const params = new URLSearchParams(Object.entries(query).map(([name, value]) => [name, String(value)]));
      params.set("start", String(FIRST_RECORDS));
      const rest = await needBytes(`/api/projects/${projectId}/field/records?${params}`, { signal });
      return { rows, total, index: new FieldIndex(joined([first, rest]), total, has) };
    },
    placeholderData: keepPreviousData,
  });
}

/** What could stand at the cursor of a Sift. */
export function useCompletions(projectId: number, asked: FieldQuery, draft: string, at: number | undefined) {
  return useQuery({
    queryKey: ["pictures", "completions", projectId, contextOf(asked), draft, at],
    enabled: at !== undefined,
    retry: false,
    queryFn: () =>
      need(
        client.GET("/api/projects/{project_id}/sift/completions", {
          params: {
            path: { project_id: projectId },
            query: {
              sift: draft,
              at: at ?? 0,
              ...contextOf(asked),
            },
          },
        }),
      ),
    placeholderData: keepPreviousData,
  });
}

const STEPS_SHOWN = 200;

/** The newest steps of the history; of one picture only, if it is named. */
export function useHistory(projectId: number, of: { picture?: number; class?: number }) {
  return useQuery({
    queryKey: ["pictures", "history", projectId, of],
    queryFn: () =>
      need(
        client.GET("/api/projects/{project_id}/actions", {
          params: {
            path: { project_id: projectId },
            query: { limit: STEPS_SHOWN, ...of },
          },
        }),
      ),
  });
}

export function usePictureDetail(
  projectId: number,
  pictureId: number | undefined,
  asked: Pick<FieldQuery, "split" | "run" | "look">,
) {
  const { split, run, look } = asked;
  return useQuery({
    queryKey: ["pictures", projectId, "detail", pictureId ?? 0, split ?? 0, run ?? 0, look ?? 0],
    enabled: pictureId !== undefined,
    queryFn: () =>
      need(
        client.GET("/api/projects/{project_id}/pictures/{picture_id}", {
          params: {
            path: { project_id: projectId, picture_id: pictureId ?? 0 },
            query: contextOf({ split, run, look, like: undefined }),
          },
        }),
      ),
    placeholderData: keepPreviousData,
  });
}

export function useSplits(projectId: number) {
  return useQuery({
    queryKey: ["splits", projectId],
    queryFn: () =>
      need(client.GET("/api/projects/{project_id}/splits", { params: { path: { project_id: projectId } } })),
  });
}

export function useImports(projectId: number) {
  return useQuery({
    queryKey: ["imports", projectId],
    queryFn: () =>
      need(client.GET("/api/projects/{project_id}/imports", { params: { path: { project_id: projectId } } })),
  });
}

export function useImport(importId: number) {
  return useQuery({
    queryKey: ["imports", "one", importId],
    retry: false,
    queryFn: () =>
      need(client.GET("/api/imports/{import_id}", { params: { path: { import_id: importId } } })),
  });
}

/** What bringing in by a choice would do. A choice that cannot be used is an error with words; the last plan stays. */
export function usePlan(importId: number, choice: Choice | undefined) {
  return useQuery({
    queryKey: ["plan", importId, choice],
    enabled: choice !== undefined,
    retry: false,
    queryFn: () =>
      need(
        client.POST("/api/imports/{import_id}/plan", {
          params: { path: { import_id: importId } },
          body: choice as Choice,
        }),
      ),
    placeholderData: keepPreviousData,
  });
}

export function useSources() {
  return useQuery({
    queryKey: ["sources"],
    queryFn: () => need(client.GET("/api/sources")),
    staleTime: Infinity,
  });
}

export function useServerFolder(path: string) {
  return useQuery({
    queryKey: ["server-folders", path],
    retry: false,
    queryFn: () => need(client.GET("/api/server-folders", { params: { query: { path } } })),
    placeholderData: keepPreviousData,
  });
}

export function useBin(projectId: number) {
  return useQuery({
    queryKey: ["bin", projectId],
    queryFn: () =>
      need(client.GET("/api/projects/{project_id}/bin", { params: { path: { project_id: projectId } } })),
  });
}

/** What is known of copies; asked when the field stands, which is what a person waits for. */
export function useCopies(projectId: number, fieldStands: boolean) {
  return useQuery({
    queryKey: ["copies", projectId],
    enabled: fieldStands,
    queryFn: () =>
      need(client.GET("/api/projects/{project_id}/copies", { params: { path: { project_id: projectId } } })),
  });
}

export function useDisk(projectId: number) {
  return useQuery({
    queryKey: ["disk", projectId],
    queryFn: () =>
      need(client.GET("/api/projects/{project_id}/disk", { params: { path: { project_id: projectId } } })),
  });
}

export function useParcels(projectId: number) {
  return useQuery({
    queryKey: ["parcels", projectId],
    queryFn: () =>
      need(client.GET("/api/projects/{project_id}/parcels", { params: { path: { project_id: projectId } } })),
  });
}

export function useJobs() {
  return useQuery({ queryKey: ["jobs"], queryFn: () => need(client.GET("/api/jobs")) });
}
