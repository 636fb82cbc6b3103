/** A row's head, at its left end: name, count, how it divides into sets, and its count beside the largest row's. */
import type { FieldRow } from "../../domain/field";
import { HEAD_WIDTH, setCounts } from "../../domain/field";
import { ClassSign } from "../../parts/ClassSign";
import { SetBar } from "../../parts/SetBar";

interface Props {
  row: FieldRow;
  rows: readonly FieldRow[];
  onRename: (classId: number) => void;
}

export function RowHead({ row, rows, onRename }: Props) {
  const largest = Math.max(1, ...rows.map((entry) => entry.pictures.length));
  const divided = row.classId !== undefined;
  const { classId } = row;
  return (
    <div role="rowheader" className="absolute top-1 left-3" style={{ width: HEAD_WIDTH - 24 }}>
      <div className="flex items-center gap-1.5">
        {row.sign !== undefined && <ClassSign place={row.place} sign={row.sign} />}
        {typeof classId === "number" ? (
          <button
            type="button"
            className="min-w-0 cursor-pointer truncate font-semibold hover:underline"
            title={`Rename ${row.name}`}
            onClick={() => onRename(classId)}
          >
            {row.name}
          </button>
        ) : (
          <span className="min-w-0 truncate font-semibold">{row.name}</span>
        )}
        <span className="ml-auto text-quiet">{row.pictures.length.toLocaleString("en")}</span>
      </div>
      {divided && (
        <div className="mt-1">
          <SetBar counts={setCounts(row.pictures)} whole={largest} height={6} />
        </div>
      )}
    </div>
  );
}
