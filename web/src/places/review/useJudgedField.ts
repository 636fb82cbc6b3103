/** The pictures of some cells of the matrix, or all errors, as a field: by a Sift, like every other. */
import { useMemo } from "react";
import type { Model, SetName } from "../../api/client";
import { useField } from "../../api/queries";
import { useAddress, usePlace } from "../../app/context";
import { type Heads, tileSizeOf } from "../../domain/field";
import { EMPTY_INDEX } from "../../domain/fieldIndex";
import { fieldRows } from "../../domain/fieldRows";
import { judgedSift } from "../../domain/siftLine";

interface Judged {
  model: Model;
  set: SetName;
  look: number | undefined;
  /** True and predicted class, by their ids, with a point between. */
  cells: ReadonlySet<string>;
}

export function useJudgedField({ model, set, look, cells }: Judged) {
  const { project, classes, run } = usePlace();
  const [params] = useAddress();
  const sift = judgedSift(model.classes, set, cells);
  const asked = useMemo(
    () => ({
      sift,
      group: "nothing" as const,
      split: run?.split_id ?? undefined,
      run: run?.id,
      look,
      like: undefined,
    }),
    [sift, run?.split_id, run?.id, look],
  );
  const field = useField(project.id, asked);
  const { data } = field;
  const rows = useMemo(() => fieldRows(data?.rows ?? [], classes, "nothing", false), [data?.rows, classes]);
  return {
    asked,
    field,
    data,
    rows,
    size: tileSizeOf(params.get("tile"), 104),
    heads: "none" as Heads,
    index: data?.index ?? EMPTY_INDEX,
    total: data?.total ?? 0,
  };
}
