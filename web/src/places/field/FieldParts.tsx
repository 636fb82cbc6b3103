/** What stands in the picture field besides the pictures, which are painted: cells for the keyboard, heads, what a pointer does. */
import type { ClassOf } from "../../api/client";
import {
  type FieldLayout,
  FOOT_HEIGHT,
  HEAD_WIDTH,
  type FieldLine as Line,
  packedWidth,
  type TileSize,
} from "../../domain/field";
import { EXCLUDED, type FieldIndex, UNSURE } from "../../domain/fieldIndex";
import type { FieldRow } from "../../domain/fieldRows";
import { figureWords } from "../../domain/figures";
import type { Point, Press } from "../../domain/press";
import type { Selection } from "../../domain/selection";
import { setWords } from "../../domain/words";
import { RowHead, type RowHeadActions } from "./RowHead";

export interface CellsProps {
  index: FieldIndex;
  classes: ReadonlyMap<number, ClassOf>;
  size: TileSize;
  selection: Selection;
  /** Name of the focused picture, once it is known. */
  focusName: string | undefined;
}

interface CellProps extends CellsProps {
  at: number;
  left: number;
  top: number;
}

/** One tile, as those who do not see it meet it. */
export function Cell({ at, left, top, size, selection, ...props }: CellProps) {
  const id = props.index.idAt(at);
  if (id === undefined) return null;
  const words = cellWords(at, selection, props);
  return (
    <div
      role="gridcell"
      id={`tile-${id}`}
      data-index={at}
      data-picture={id}
      aria-selected={selection.chosen.has(id)}
      aria-label={words}
      title={words}
      className="absolute"
      style={{ left, top, width: size, height: size + FOOT_HEIGHT[size] }}
    />
  );
}

function cellWords(
  at: number,
  selection: Selection,
  { index, classes, focusName }: Pick<CellsProps, "index" | "classes" | "focusName">,
): string {
  const flags = index.flagsAt(at);
  const parts = [
    at === selection.focus ? focusName : undefined,
    classes.get(index.classAt(at))?.name ?? "unlabelled",
    setWords(index.setAt(at)),
    flags & EXCLUDED ? "excluded" : undefined,
    flags & UNSURE ? "unsure" : undefined,
    index.misreadAt(at)
      ? `read as ${classes.get(index.predictedAt(at))?.name ?? "a deleted class"}`
      : undefined,
    index.undecidedAt(at) ? "the model is unsure" : undefined,
    index.nextAt(at) ? `next ${classes.get(index.nextAt(at))?.name ?? "a deleted class"}` : undefined,
    figureWords(index.figure, index.figureAt(at)),
  ];
  return parts.filter(Boolean).join(", ");
}

interface LineProps {
  line: Line;
  row: FieldRow;
  layout: FieldLayout;
  top: number;
  /** Pictures would be dropped here. */
  target: boolean;
  largest: number;
  actions: RowHeadActions;
  /** Left out where tiles are too small to be met one by one. */
  cells: CellsProps | undefined;
}

export function FieldLine({ line, row, layout, top, target, largest, actions, cells }: LineProps) {
  const first = (layout.firsts[line.row] ?? 0) + line.start;
  const across =
    layout.heads === "above"
      ? { left: line.left, width: packedWidth(layout, line) }
      : { left: 0, width: "100%" };
  return (
    <div
      role="row"
      data-row={row.key}
      className={`absolute ${target ? "bg-choice-wash" : ""} ${
        line.start === 0 && layout.heads !== "none" ? "border-t border-hairline" : ""
      }`}
      style={{ top, height: line.height, ...across }}
    >
      {line.start === 0 && layout.heads !== "none" && (
        <RowHead
          row={row}
          largest={largest}
          actions={actions}
          width={layout.heads === "above" ? across.width : undefined}
        />
      )}
      {cells &&
        Array.from({ length: line.end - line.start }, (_, column) => (
          <Cell
            key={cells.index.idAt(first + column) ?? `empty-${column}`}
            {...cells}
            at={first + column}
            left={line.left - across.left + column * layout.step}
            top={line.inset}
          />
        ))}
    </div>
  );
}

/** The head of a row whose beginning is above what is on show. */
export function PinnedHead(props: { row: FieldRow; largest: number; actions: RowHeadActions }) {
  return (
    <div className="absolute top-0 left-0 z-2 bg-ground pb-1" style={{ width: HEAD_WIDTH - 8, height: 60 }}>
      <RowHead row={props.row} largest={props.largest} actions={props.actions} />
    </div>
  );
}

/** How many pictures the pointer carries, and to where. */
export function Carried(props: { press: Press | undefined; rows: readonly FieldRow[]; scrolled: number }) {
  const { press, rows, scrolled } = props;
  if (press?.kind !== "carry") return null;
  return (
    <div
      className="shadow-float pointer-events-none absolute z-30 bg-choice px-2 py-1 font-semibold text-surface"
      style={{ left: press.to.x + 12, top: press.to.y - scrolled + 12 }}
    >
      {press.ids.length} → {rows[press.row ?? -1]?.name ?? "…"}
    </div>
  );
}

export function Band({ from, to }: { from: Point; to: Point }) {
  return (
    <div
      data-testid="band"
      className="pointer-events-none absolute z-30 border border-choice bg-choice/15"
      style={{
        left: Math.min(from.x, to.x),
        top: Math.min(from.y, to.y),
        width: Math.abs(to.x - from.x),
        height: Math.abs(to.y - from.y),
      }}
    />
  );
}
