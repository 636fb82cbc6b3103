/** The picture field: rows of tiles, chosen by click, range and rubber band, labelled or put into a set by dragging to another row. */
import { type KeyboardEvent, type RefObject, useCallback, useEffect, useMemo, useRef, useState } from "react";
import type { ClassOf } from "../../api/client";
import {
  type FieldLayout,
  type Heads,
  layOut,
  linesOf,
  placeOf,
  SMALLEST_WITH_SIGN,
  type TileSize,
} from "../../domain/field";
import type { FieldIndex } from "../../domain/fieldIndex";
import type { FieldRow } from "../../domain/fieldRows";
import type { Selection } from "../../domain/selection";
import { Band, Carried, Cell, type CellsProps, FieldLine, PinnedHead } from "./FieldParts";
import { fieldKeys } from "./fieldKeys";
import type { RowHeadActions } from "./RowHead";
import { type HeatOfTiles, useFieldCanvas } from "./useFieldCanvas";
import { useFieldLines, useWidth } from "./useFieldLines";
import { usePress } from "./usePress";

interface Props {
  projectId: number;
  rows: readonly FieldRow[];
  index: FieldIndex;
  classes: readonly ClassOf[];
  size: TileSize;
  /** Where the heads of rows stand, if they have any. */
  heads: Heads;
  selection: Selection;
  /** Name of the focused picture, once it is known. */
  focusName: string | undefined;
  onSelection: (next: Selection) => void;
  /** Whether pictures can be dropped on a row, and what happens then. */
  accepts: (row: FieldRow) => boolean;
  onDropOn: (row: FieldRow, pictureIds: readonly number[]) => void;
  onOpen: (pictureId: number) => void;
  onKey: (event: KeyboardEvent) => void;
  actions: RowHeadActions;
  /** Where a model looks, over the tiles. */
  heat?: HeatOfTiles | undefined;
}

/** The field's measures and its painted canvas; the keys of the place work at once. */
function usePainted(props: Props, scroller: RefObject<HTMLDivElement | null>) {
  const { rows, index, classes, size, selection, projectId, heads, heat } = props;
  const [active, setActive] = useState(false);
  const width = useWidth(scroller);
  const layout = useMemo(() => layOut(rows, size, width, heads), [rows, size, width, heads]);
  const byId = useMemo(() => new Map(classes.map((entry) => [entry.id, entry])), [classes]);
  const canvas = useFieldCanvas({
    projectId,
    scroller,
    layout,
    index,
    size,
    classes: byId,
    selection,
    active,
    heat,
  });
  useEffect(() => {
    // Unless something else was focused already.
    if (document.activeElement === document.body) scroller.current?.focus({ preventScroll: true });
  }, [scroller]);
  return { layout, classes: byId, canvas, active, setActive };
}

export function Field(props: Props) {
  const { rows, index, size, selection, actions, focusName } = props;
  const scroller = useRef<HTMLDivElement>(null);
  const { layout, classes, canvas, active, setActive } = usePainted(props, scroller);
  const idAt = useCallback((at: number) => index.idAt(at), [index]);
  const lines = useFieldLines(scroller, layout, selection.focus, active);
  const press = usePress({ ...props, layout, scroller, idAt });
  const focused = idAt(selection.focus);
  const largest = useMemo(() => Math.max(1, ...rows.map((row) => row.count)), [rows]);
  const pinned = rows[lines.pinned ?? -1];
  return (
    <div className="relative h-full">
      <div
        ref={scroller}
        role="grid"
        aria-label="Pictures in rows"
        aria-multiselectable="true"
        aria-rowcount={rows.length}
        aria-activedescendant={focused === undefined ? undefined : `tile-${focused}`}
        tabIndex={0}
        data-testid="field"
        className="h-full overflow-y-auto overflow-x-hidden outline-none select-none"
        onKeyDown={fieldKeys({ ...props, layout, idAt, onShow: lines.showTile })}
        onFocus={() => setActive(true)}
        onBlur={() => setActive(false)}
        onDoubleClick={(event) => {
          const picture = idAt(press.tileOf(event) ?? -1);
          if (picture !== undefined) props.onOpen(picture);
        }}
        {...press.handlers}
      >
        <div className="sticky top-0 z-0 h-0">
          <canvas ref={canvas} className="pointer-events-none block" />
        </div>
        <Lines
          {...{ rows, layout, lines, press, largest, actions }}
          accepts={props.accepts}
          cells={{ index, classes, size, selection, focusName }}
        />
      </div>
      {pinned && <PinnedHead row={pinned} largest={largest} actions={actions} />}
      <Carried press={press.now} rows={rows} scrolled={scroller.current?.scrollTop ?? 0} />
    </div>
  );
}

interface LinesProps extends Pick<Props, "rows" | "accepts" | "actions"> {
  layout: FieldLayout;
  lines: ReturnType<typeof useFieldLines>;
  press: ReturnType<typeof usePress>;
  largest: number;
  cells: CellsProps;
}

/** The shelves near what is on show; where tiles are small, a cell for the focused one only. */
function Lines({ rows, accepts, actions, layout, lines, press, largest, cells }: LinesProps) {
  const { now } = press;
  const large = cells.size >= SMALLEST_WITH_SIGN;
  const focus = large ? undefined : placeOf(layout, cells.selection.focus);
  return (
    <div className="relative z-1" style={{ height: lines.height }}>
      {lines.items.flatMap(({ index, start }) =>
        linesOf(layout, index).map((line) => {
          const row = rows[line.row];
          return row ? (
            <FieldLine
              key={`${row.key} ${line.start}`}
              {...{ line, row, layout, largest, actions }}
              top={start}
              target={now?.kind === "carry" && now.row === line.row && accepts(row)}
              cells={large ? cells : undefined}
            />
          ) : null;
        }),
      )}
      {focus && <Cell {...cells} at={cells.selection.focus} left={focus.left} top={focus.top} />}
      {now?.kind === "band" && <Band from={now.at} to={now.to} />}
    </div>
  );
}
