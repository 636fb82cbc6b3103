/** The field itself, with what its row heads and what is dropped on a row mean. */
import { usePictureDetail } from "../../api/queries";
import { usePlace } from "../../app/context";
import { SMALLEST_WITH_SIGN } from "../../domain/field";
import { type FieldRow, setOfRow } from "../../domain/fieldRows";
import { movedBy } from "../../domain/selection";
import { Field } from "./Field";
import { FieldHeat } from "./FieldHeat";
import type { FieldDesk } from "./useFieldDesk";

export function ShownField({ parts }: { parts: FieldDesk }) {
  const { project, classes, split, run } = usePlace();
  const { shown, chosen, mending, desk, closeUp, setLaid } = parts;
  const { asked, rows, index, size, heads } = shown;
  const focused = index.idAt(chosen.selection.focus);
  const detail = usePictureDetail(project.id, closeUp ?? focused, asked).data?.picture;
  const moveClass = (classId: number, by: -1 | 1) => {
    const order = classes.map((entry) => entry.id);
    const next = movedBy(order, classId, by);
    if (next !== order) void mending.orderClasses(next);
  };
  const model = run?.model ?? undefined;
  return (
    <div className="flex h-full flex-col">
      <div className="min-h-0 flex-1">
        <Field
          heat={model && parts.heat && { ...parts.heat, model, look: asked.look }}
          {...{ rows, index, classes, size, heads }}
          projectId={project.id}
          selection={chosen.selection}
          focusName={detail && detail.id === focused ? detail.name : undefined}
          onSelection={chosen.setSelection}
          accepts={(row: FieldRow) => row.classId !== undefined || (asked.group === "set" && !!split)}
          onDropOn={(row, ids) => {
            if (row.classId !== undefined) desk.label(ids, row.classId);
            else desk.moveToSet(ids, setOfRow(row));
          }}
          onOpen={parts.setCloseUp}
          onKey={(event) => parts.onKey(event, chosen.chosen)}
          actions={{
            onChooseAll: (row) => chosen.chooseRow(rows, row),
            onChange: (classId) => setLaid({ kind: "class", classId }),
            onMerge: (classId) => setLaid({ kind: "merge class", classId }),
            onMove: moveClass,
            onDelete: (classId) => void mending.deleteClass(classId),
          }}
        />
      </div>
      {model && parts.heat && (
        <FieldHeat model={model} heat={parts.heat} small={size < SMALLEST_WITH_SIGN} onHeat={parts.setHeat} />
      )}
    </div>
  );
}
