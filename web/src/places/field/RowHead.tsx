/** A row's head, at its left end: name, count, how it divides into sets, its count beside the largest row's, and what
 * can be done with a class. */
import { colourPlace } from "../../domain/classColour";
import { HEAD_WIDTH } from "../../domain/field";
import type { FieldRow } from "../../domain/fieldRows";
import { ActionMenu, type MenuAction } from "../../parts/ActionMenu";
import { ClassSign } from "../../parts/ClassSign";
import { SetBar } from "../../parts/SetBar";

export interface RowHeadActions {
  onChooseAll: (row: FieldRow) => void;
  onChange: (classId: number) => void;
  onMerge: (classId: number) => void;
  onMove: (classId: number, by: -1 | 1) => void;
  onDelete: (classId: number) => void;
}

interface Props {
  row: FieldRow;
  largest: number;
  actions: RowHeadActions;
  /** Above its row and so wide, if it does not stand at the left end. */
  width?: number | string | undefined;
}

export function RowHead({ row, largest, actions, width }: Props) {
  const style = width === undefined ? { left: 12, width: HEAD_WIDTH - 24 } : { left: 0, width };
  return (
    <div role="rowheader" className="absolute top-1" style={style}>
      <div className="flex items-center gap-1.5">
        {row.sign !== undefined && <ClassSign place={row.place} sign={row.sign} />}
        <HeadMenu row={row} actions={actions} />
        <span className="ml-auto text-quiet" title={row.excluded ? `${row.excluded} excluded` : undefined}>
          {row.count.toLocaleString("en")}
        </span>
      </div>
      {row.copies && (
        <div
          // Above its tiles there is one line for them.
          className={`mt-1 flex gap-1 ${width === undefined ? "flex-wrap" : "overflow-hidden whitespace-nowrap"}`}
          title={row.copies.classes.map((entry) => entry.name).join(", ")}
        >
          {row.copies.classes.map((entry) => (
            <span key={entry.id} className="flex items-center gap-1 text-sm">
              <ClassSign place={colourPlace(entry)} sign={entry.sign} />
              {entry.name}
            </span>
          ))}
        </div>
      )}
      {row.classId !== undefined && (
        <div className="mt-1">
          <SetBar counts={row.sets} whole={largest} height={6} />
        </div>
      )}
    </div>
  );
}

function HeadMenu({ row, actions }: { row: FieldRow; actions: RowHeadActions }) {
  const { classId } = row;
  const items: MenuAction[] = [];
  if (row.count) items.push({ words: "Choose all of the row", act: () => actions.onChooseAll(row) });
  if (typeof classId === "number") {
    items.push(
      { words: "Name, sign, colour", act: () => actions.onChange(classId) },
      { words: "Merge into another class", act: () => actions.onMerge(classId) },
      { words: "Earlier in the order", act: () => actions.onMove(classId, -1) },
      { words: "Later in the order", act: () => actions.onMove(classId, 1) },
      { words: "Delete class", act: () => actions.onDelete(classId), danger: true },
    );
  }
  if (!items.length) return <span className="min-w-0 truncate font-semibold">{row.name}</span>;
  return (
    <ActionMenu
      words={row.name}
      label={`${row.name}: what can be done`}
      title={row.name}
      className="min-w-0 cursor-pointer truncate font-semibold hover:underline"
      anchor="bottom start"
      actions={items}
    />
  );
}
