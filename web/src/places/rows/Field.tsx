/** The picture field: rows of tiles, chosen by click, range and rubber band, labelled by dragging to another row. */
import { useVirtualizer } from "@tanstack/react-virtual";
import {
  type KeyboardEvent,
  type PointerEvent,
  type RefObject,
  useEffect,
  useLayoutEffect,
  useMemo,
  useRef,
  useState,
} from "react";
import type { ClassOf, Picture } from "../../api/client";
import {
  type FieldLayout,
  type FieldRow,
  HEAD_WIDTH,
  layOut,
  lineOf,
  rowAt,
  SMALLEST_WITH_SIGN,
  type Step,
  stepFrom,
  type TileSize,
  tilesWithin,
} from "../../domain/field";
import { choose, chooseMany, keepPresent, type Selection } from "../../domain/selection";
import type { SheetPlace } from "../../domain/sheets";
import { Tile } from "../../parts/Tile";
import { RowHead } from "./RowHead";

interface Props {
  rows: readonly FieldRow[];
  classes: readonly ClassOf[];
  size: TileSize;
  sheets: ReadonlyMap<number, SheetPlace> | undefined;
  selection: Selection;
  onSelection: (next: Selection) => void;
  onLabel: (pictureIds: readonly number[], classId: number | null) => void;
  onOpen: (picture: Picture) => void;
  onKey: (event: KeyboardEvent) => void;
  onRenameClass: (classId: number) => void;
}

interface Point {
  readonly x: number;
  readonly y: number;
}

/** What a pressed pointer is doing. */
type Press =
  | { kind: "pressed"; at: Point; index: number | undefined; add: boolean; range: boolean }
  | { kind: "band"; at: Point; to: Point; before: Selection; add: boolean }
  | { kind: "carry"; ids: readonly number[]; to: Point; row: number | undefined };

/** A press that moves further than this is a drag. */
const DRAG_PX = 5;
const SCROLL_EDGE_PX = 36;
const STEPS: Record<string, Step> = {
  ArrowLeft: "left",
  ArrowRight: "right",
  ArrowUp: "up",
  ArrowDown: "down",
  Home: "first",
  End: "last",
};

export function Field(props: Props) {
  const { rows, classes, size, sheets, selection, onSelection } = props;
  const scroller = useRef<HTMLDivElement>(null);
  const [active, setActive] = useState(false);
  const width = useWidth(scroller);
  const layout = useMemo(() => layOut(rows, size, width), [rows, size, width]);
  const byId = useMemo(() => new Map(classes.map((entry) => [entry.id, entry])), [classes]);
  const idAt = (index: number) => layout.flat[index]?.id;

  useEffect(() => {
    const present = new Set(layout.flat.map((picture) => picture.id));
    const kept = keepPresent(selection, present, layout.flat.length);
    if (kept !== selection) onSelection(kept);
  }, [layout, selection, onSelection]);

  const lines = useVirtualizer({
    count: layout.lines.length,
    getScrollElement: () => scroller.current,
    estimateSize: (index) => layout.lines[index]?.height ?? 0,
    overscan: 6,
  });
  // biome-ignore lint/correctness/useExhaustiveDependencies: heights follow the layout, which the virtualizer cannot see
  useLayoutEffect(() => lines.measure(), [layout]);

  const showTile = (index: number) => {
    const line = lineOf(layout, index);
    if (line !== undefined) lines.scrollToIndex(line, { align: "auto" });
  };

  const press = usePress({ ...props, layout, scroller, idAt });

  const onKeyDown = (event: KeyboardEvent) => {
    const step = STEPS[event.key];
    const plain = !event.ctrlKey && !event.metaKey && !event.altKey;
    if (step && plain) {
      event.preventDefault();
      const next = stepFrom(layout, selection.focus, step);
      onSelection(choose(selection, next, idAt, { add: false, range: event.shiftKey }));
      showTile(next);
    } else if (event.key === " " && plain) {
      event.preventDefault();
      onSelection(choose(selection, selection.focus, idAt, { add: true, range: false }));
    } else if (event.key === "Enter" && plain) {
      const picture = layout.flat[selection.focus];
      if (picture) {
        event.preventDefault();
        props.onOpen(picture);
      }
    } else props.onKey(event);
  };

  const focused = layout.flat[selection.focus];
  const first = lines.getVirtualItems().find((item) => item.end > (scroller.current?.scrollTop ?? 0) + 1);
  const pinned = first ? layout.lines[first.index] : undefined;
  const pinnedRow = pinned && pinned.start > 0 ? rows[pinned.row] : undefined;

  return (
    <div className="relative h-full">
      <div
        ref={scroller}
        role="grid"
        aria-label="Pictures in rows"
        aria-multiselectable="true"
        aria-rowcount={rows.length}
        aria-activedescendant={focused ? `tile-${focused.id}` : undefined}
        tabIndex={0}
        data-testid="field"
        className="h-full overflow-y-auto overflow-x-hidden outline-none"
        onKeyDown={onKeyDown}
        onFocus={() => setActive(true)}
        onBlur={() => setActive(false)}
        onDoubleClick={(event) => {
          const picture = layout.flat[indexOf(event.target) ?? -1];
          if (picture) props.onOpen(picture);
        }}
        {...press.handlers}
      >
        <div className="relative" style={{ height: lines.getTotalSize() }}>
          {lines.getVirtualItems().map((item) => {
            const line = layout.lines[item.index];
            const row = line && rows[line.row];
            if (!line || !row) return null;
            const target =
              press.now?.kind === "carry" && press.now.row === line.row && row.classId !== undefined;
            return (
              <div
                key={item.key}
                role="row"
                data-row={row.key}
                className={`absolute inset-x-0 ${target ? "bg-choice-wash" : ""} ${
                  line.start === 0 ? "border-t border-hairline" : ""
                }`}
                style={{ top: item.start, height: line.height }}
              >
                {line.start === 0 && <RowHead row={row} rows={rows} onRename={props.onRenameClass} />}
                {row.pictures.slice(line.start, line.end).map((picture, column) => {
                  const index = (layout.firsts[line.row] ?? 0) + line.start + column;
                  return (
                    <div key={picture.id} className="absolute" style={{ top: 4 }}>
                      <Tile
                        picture={picture}
                        entry={picture.class_id === null ? undefined : byId.get(picture.class_id)}
                        size={size}
                        sheet={sheets?.get(picture.id)}
                        chosen={selection.chosen.has(picture.id)}
                        focused={active && index === selection.focus}
                        left={HEAD_WIDTH + column * layout.step}
                        index={index}
                      />
                    </div>
                  );
                })}
              </div>
            );
          })}
          {press.now?.kind === "band" && <Band from={press.now.at} to={press.now.to} />}
        </div>
      </div>
      {pinnedRow && (
        <div className="absolute top-0 left-0 bg-ground pb-1" style={{ width: HEAD_WIDTH - 8, height: 60 }}>
          <RowHead row={pinnedRow} rows={rows} onRename={props.onRenameClass} />
        </div>
      )}
      {press.now?.kind === "carry" && (
        <div
          className="shadow-float pointer-events-none absolute z-30 bg-choice px-2 py-1 font-semibold text-surface"
          style={{ left: press.now.to.x + 12, top: press.now.to.y - (scroller.current?.scrollTop ?? 0) + 12 }}
        >
          {press.now.ids.length} → {rows[press.now.row ?? -1]?.name ?? "…"}
        </div>
      )}
    </div>
  );
}

function Band({ from, to }: { from: Point; to: Point }) {
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

function indexOf(target: EventTarget): number | undefined {
  const tile = target instanceof Element ? target.closest<HTMLElement>("[data-index]") : null;
  return tile ? Number(tile.dataset.index) : undefined;
}

function useWidth(element: RefObject<HTMLDivElement | null>): number {
  const [width, setWidth] = useState(1200);
  useLayoutEffect(() => {
    const here = element.current;
    if (!here) return;
    const observer = new ResizeObserver(() => setWidth(here.clientWidth));
    observer.observe(here);
    setWidth(here.clientWidth);
    return () => observer.disconnect();
  }, [element]);
  return width;
}

interface PressProps extends Props {
  layout: FieldLayout;
  scroller: RefObject<HTMLDivElement | null>;
  idAt: (index: number) => number | undefined;
}

/** Clicks, ranges, the rubber band and carrying, from one pointer. */
function usePress(props: PressProps) {
  const { layout, scroller, idAt, selection, onSelection, size, rows } = props;
  const [now, setNow] = useState<Press>();

  const pointOf = (event: PointerEvent): Point => {
    const box = scroller.current?.getBoundingClientRect();
    return {
      x: event.clientX - (box?.left ?? 0),
      y: event.clientY - (box?.top ?? 0) + (scroller.current?.scrollTop ?? 0),
    };
  };

  const onPointerDown = (event: PointerEvent<HTMLDivElement>) => {
    if (event.button !== 0 || (event.target as Element).closest("button")) return;
    // The scroll bar is not the field.
    if (event.nativeEvent.offsetX > event.currentTarget.clientWidth && event.target === event.currentTarget)
      return;
    scroller.current?.focus({ preventScroll: true });
    const add = event.ctrlKey || event.metaKey;
    setNow({ kind: "pressed", at: pointOf(event), index: indexOf(event.target), add, range: event.shiftKey });
  };

  /** Pictures are carried; but where they are too small to aim at, only those chosen before. */
  const carries = (press: Press & { kind: "pressed" }): boolean => {
    if (press.index === undefined || press.range) return false;
    const id = idAt(press.index);
    return size >= SMALLEST_WITH_SIGN || (id !== undefined && selection.chosen.has(id));
  };

  const begin = (press: Press & { kind: "pressed" }, to: Point): Press => {
    if (!carries(press)) return { kind: "band", at: press.at, to, before: selection, add: press.add };
    const index = press.index ?? 0;
    const id = idAt(index);
    const already = id !== undefined && selection.chosen.has(id);
    const next = already ? selection : choose(selection, index, idAt, { add: press.add, range: false });
    if (!already) onSelection(next);
    return { kind: "carry", ids: [...next.chosen], to, row: rowAt(layout, to.y) };
  };

  const onPointerMove = (event: PointerEvent<HTMLDivElement>) => {
    if (!now) return;
    const to = pointOf(event);
    let press = now;
    if (press.kind === "pressed") {
      if (Math.hypot(to.x - press.at.x, to.y - press.at.y) < DRAG_PX) return;
      event.currentTarget.setPointerCapture(event.pointerId);
      press = begin(press, to);
    }
    if (press.kind === "band") {
      const box = {
        left: Math.min(press.at.x, to.x),
        right: Math.max(press.at.x, to.x),
        top: Math.min(press.at.y, to.y),
        bottom: Math.max(press.at.y, to.y),
      };
      onSelection(chooseMany(press.before, tilesWithin(layout, box), idAt, press.add));
      press = { ...press, to };
    } else if (press.kind === "carry") press = { ...press, to, row: rowAt(layout, to.y) };
    scrollAtEdge(scroller.current, event.clientY);
    setNow(press);
  };

  const onPointerUp = () => {
    if (now?.kind === "pressed") {
      if (now.index !== undefined) {
        onSelection(choose(selection, now.index, idAt, { add: now.add, range: now.range }));
      } else if (!now.add && !now.range) {
        onSelection({ ...selection, chosen: new Set() });
      }
    } else if (now?.kind === "carry") {
      const row = rows[now.row ?? -1];
      if (row && row.classId !== undefined) props.onLabel(now.ids, row.classId);
    }
    setNow(undefined);
  };

  return {
    now,
    handlers: { onPointerDown, onPointerMove, onPointerUp, onPointerCancel: () => setNow(undefined) },
  };
}

function scrollAtEdge(element: HTMLDivElement | null, clientY: number): void {
  if (!element) return;
  const box = element.getBoundingClientRect();
  if (clientY < box.top + SCROLL_EDGE_PX) element.scrollTop -= 24;
  else if (clientY > box.bottom - SCROLL_EDGE_PX) element.scrollTop += 24;
}
