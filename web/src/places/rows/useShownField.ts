/** What the address asks the field for, and what of it is on show. */
import { useMemo, useRef } from "react";
import { useField } from "../../api/queries";
import { useAddress, usePlace } from "../../app/context";
import { type Heads, tileSizeOf } from "../../domain/field";
import { EMPTY_INDEX } from "../../domain/fieldIndex";
import { fieldRows, GROUPS, type GroupKey } from "../../domain/fieldRows";
import { useLook } from "../looks/useLook";

export function useShownField() {
  const { project, classes, split, run } = usePlace();
  const [params] = useAddress();
  const group: GroupKey = GROUPS.find((key) => key === params.get("group")) ?? "class";
  const sift = params.get("sift") ?? "";
  const like = Number(params.get("like")) || undefined;
  const looking = useLook(run?.model, "rows");
  const look = looking.judging ? undefined : looking.look;
  const asked = useMemo(
    () => ({ sift, group, split: split?.id, run: run?.id, look, like }),
    [sift, group, split?.id, run?.id, look, like],
  );
  const field = useField(project.id, asked);
  // A mistake in the Sift leaves on show what was there before it.
  const shown = useRef(field.data);
  if (field.data) shown.current = field.data;
  const data = field.data ?? shown.current;
  const rows = useMemo(
    () => fieldRows(data?.rows ?? [], classes, group, !sift),
    [data?.rows, classes, group, sift],
  );
  return {
    asked,
    group,
    sift,
    size: tileSizeOf(params.get("tile"), 56),
    heads: (group === "copies" || group === "finding" ? "above" : "left") as Heads,
    looking,
    field,
    data,
    rows,
    index: data?.index ?? EMPTY_INDEX,
    total: data?.total ?? 0,
  };
}

export type ShownField = ReturnType<typeof useShownField>;
