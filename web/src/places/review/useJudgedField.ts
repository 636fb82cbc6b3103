/** The pictures of some cells of the matrix, or all errors, as a field: by a Sift, like every other. */
import { useMemo } from "react";
import type { JudgedSet, Model } from "../../api/client";
import type { Labels } from "../../api/judgingQueries";
import { useField } from "../../api/queries";
import { useAddress, usePlace } from "../../app/context";
import { type Heads, tileSizeOf } from "../../domain/field";
import { EMPTY_INDEX } from "../../domain/fieldIndex";
import { fieldRows, type GroupKey } from "../../domain/fieldRows";
import { judgedSift } from "../../domain/siftLine";

interface Said {
  sift: string;
  group: GroupKey;
  look: number | undefined;
  heads: Heads;
}

/** Pictures by what the run on show said of them. */
export function useSaidField({ sift, group, look, heads }: Said) {
  const { project, classes, run } = usePlace();
  const [params] = useAddress();
  const asked = useMemo(
    () => ({
      sift,
      group,
      split: run?.split_id ?? undefined,
      run: run?.id,
      look,
      like: undefined,
      answers: true,
    }),
    [sift, group, run?.split_id, run?.id, look],
  );
  const field = useField(project.id, asked);
  const { data } = field;
  const rows = useMemo(
    () => fieldRows(data?.rows ?? [], classes, group, false),
    [data?.rows, classes, group],
  );
  return {
    asked,
    field,
    data,
    rows,
    size: tileSizeOf(params.get("tile"), 104),
    heads,
    index: data?.index ?? EMPTY_INDEX,
    total: data?.total ?? 0,
  };
}

export type SaidField = ReturnType<typeof useSaidField>;

interface Judged {
  model: Model;
  set: JudgedSet;
  look: number | undefined;
  /** True and predicted class, by their ids, with a point between. */
  cells: ReadonlySet<string>;
  labels: Labels;
}

export function useJudgedField({ model, set, look, cells, labels }: Judged) {
  const { classes } = usePlace();
  const sift = judgedSift(model.classes, set, cells, labels === "today" ? classes : undefined);
  return useSaidField({ sift, group: "nothing", look, heads: "none" });
}
