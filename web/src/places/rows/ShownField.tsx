/** The field itself, with what its row heads and what is dropped on a row mean. */
import type { KeyboardEvent } from "react";
import { usePlace } from "../../app/context";
import { type FieldRow, setOfRow } from "../../domain/field";
import { movedBy } from "../../domain/selection";
import type { Mending } from "../mending/useMending";
import { Field } from "./Field";
import type { Laid } from "./RowsSheets";
import type { RowsActions } from "./useRowsDesk";
import type { Chosen } from "./useSelection";
import type { ShownField as Shown } from "./useShownField";

interface Props {
  shown: Shown;
  chosen: Chosen;
  desk: RowsActions;
  mending: Mending;
  focusName: string | undefined;
  onLay: (next: Laid) => void;
  onOpen: (id: number) => void;
  onKey: (event: KeyboardEvent) => void;
}

export function ShownField({ shown, chosen, desk, mending, focusName, onLay, onOpen, onKey }: Props) {
  const { project, classes, split } = usePlace();
  const { rows, index, size, group } = shown;
  const moveClass = (classId: number, by: -1 | 1) => {
    const order = classes.map((entry) => entry.id);
    const next = movedBy(order, classId, by);
    if (next !== order) void mending.orderClasses(next);
  };
  return (
    <Field
      projectId={project.id}
      rows={rows}
      index={index}
      classes={classes}
      size={size}
      selection={chosen.selection}
      focusName={focusName}
      onSelection={chosen.setSelection}
      accepts={(row: FieldRow) => row.classId !== undefined || (group === "set" && !!split)}
      onDropOn={(row, ids) => {
        if (row.classId !== undefined) desk.label(ids, row.classId);
        else desk.moveToSet(ids, setOfRow(row));
      }}
      onOpen={onOpen}
      onKey={onKey}
      heads={{
        onChooseAll: (row) => chosen.chooseRow(rows, row),
        onChange: (classId) => onLay({ kind: "class", classId }),
        onMerge: (classId) => onLay({ kind: "merge class", classId }),
        onMove: moveClass,
        onDelete: (classId) => void mending.deleteClass(classId),
      }}
    />
  );
}
