/** A row's head, at its left end: name, count, how it divides into sets, its count beside the largest row's, and what
 * can be done with a class. */
import { Menu, MenuButton, MenuItem, MenuItems } from "@headlessui/react";
import { colourPlace } from "../../domain/classColour";
import type { FieldRow } from "../../domain/field";
import { HEAD_WIDTH } from "../../domain/field";
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
        <div className="mt-1 flex flex-wrap gap-1">
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
  const items: [words: string, act: () => void][] = [];
  if (row.count) items.push(["Choose all of the row", () => actions.onChooseAll(row)]);
  if (typeof classId === "number") {
    items.push(
      ["Name, sign, colour", () => actions.onChange(classId)],
      ["Merge into another class", () => actions.onMerge(classId)],
      ["Earlier in the order", () => actions.onMove(classId, -1)],
      ["Later in the order", () => actions.onMove(classId, 1)],
      ["Delete class", () => actions.onDelete(classId)],
    );
  }
  if (!items.length) return <span className="min-w-0 truncate font-semibold">{row.name}</span>;
  return (
    <Menu>
      <MenuButton
        className="min-w-0 cursor-pointer truncate font-semibold hover:underline"
        title={row.name}
        aria-label={`${row.name}: what can be done`}
      >
        {row.name}
      </MenuButton>
      <MenuItems
        anchor="bottom start"
        className="shadow-float z-40 border border-hairline bg-surface py-1 outline-none"
      >
        {items.map(([words, act]) => (
          <MenuItem key={words}>
            <button
              type="button"
              className="block w-full cursor-pointer px-3 py-1 text-left data-focus:bg-choice-wash"
              onClick={act}
            >
              {words}
            </button>
          </MenuItem>
        ))}
      </MenuItems>
    </Menu>
  );
}
