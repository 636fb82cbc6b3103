/** The picture field: rows of tiles, chosen by click, range and rubber band, labelled or put into a set by dragging to another row. */
import { useVirtualizer } from "@tanstack/react-virtual";
import {
  type KeyboardEvent,
  type PointerEvent,
  type RefObject,
  useCallback,
  useEffect,
  useLayoutEffect,
  useMemo,
  useRef,
  useState,
} from "react";
import type { ClassOf } from "../../api/client";
import {
  type FieldLayout,
  type FieldRow,
  FOOT_HEIGHT,
  HEAD_WIDTH,
  LINE_INSET,
  layOut,
  lineOf,
  placeOf,
  rowAt,
  SMALLEST_WITH_SIGN,
  type Step,
  stepFrom,
  type TileSize,
  tileAt,
  tilesWithin,
} from "../../domain/field";
import { EXCLUDED, type FieldIndex, UNSURE } from "../../domain/fieldIndex";
import { choose, chooseMany, type Selection } from "../../domain/selection";
import { setWords } from "../../domain/words";
import { RowHead, type RowHeadActions } from "./RowHead";
import { useFieldCanvas } from "./useFieldCanvas";

interface Props {
  projectId: number;
  rows: readonly FieldRow[];
  index: FieldIndex;
  classes: readonly ClassOf[];
  size: TileSize;
  selection: Selection;
  /** Name of the focused picture, once it is known. */
  focusName: string | undefined;
  onSelection: (next: Selection) => void;
  /** Whether pictures can be dropped on a row, and what happens then. */
  accepts: (row: FieldRow) => boolean;
  onDropOn: (row: FieldRow, pictureIds: readonly number[]) => void;
  onOpen: (pictureId: number) => void;
  onKey: (event: KeyboardEvent) => void;
  heads: RowHeadActions;
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
  const { rows, index, classes, size, selection, onSelection } = props;
  const scroller = useRef<HTMLDivElement>(null);
  const [active, setActive] = useState(false);
  const width = useWidth(scroller);
  const layout = useMemo(() => layOut(rows, size, width), [rows, size, width]);
  const byId = useMemo(() => new Map(classes.map((entry) => [entry.id, entry])), [classes]);
  const idAt = useCallback((at: number) => index.idAt(at), [index]);
  const largest = useMemo(() => Math.max(1, ...rows.map((row) => row.count)), [rows]);
  const canvas = useFieldCanvas({
    projectId: props.projectId,
    scroller,
    layout,
    index,
    size,
    classes: byId,
    selection,
    active,
  });

  const lines = useVirtualizer({
    count: layout.lines.length,
    getScrollElement: () => scroller.current,
    estimateSize: (index) => layout.lines[index]?.height ?? 0,
    overscan: 6,
  });
  // biome-ignore lint/correctness/useExhaustiveDependencies: heights follow the layout, which the virtualizer cannot see
  useLayoutEffect(() => lines.measure(), [layout]);

  // The keys of the place work at once, unless something else was focused already.
  useEffect(() => {
    if (document.activeElement === document.body) scroller.current?.focus({ preventScroll: true });
  }, []);

  const showTile = (index: number) => {
    const line = lineOf(layout, index);
    if (line !== undefined) lines.scrollToIndex(line, { align: "auto" });
  };

  const press = usePress({ ...props, layout, scroller, idAt });

  // After the field changed, the focus stays with its picture, and the picture in sight.
  const shown = useRef(selection.focus);
  useEffect(() => {
    if (shown.current === selection.focus) return;
    shown.current = selection.focus;
    const line = lineOf(layout, selection.focus);
    if (line !== undefined && active) lines.scrollToIndex(line, { align: "auto" });
  }, [selection.focus, layout, active, lines]);

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
      const picture = idAt(selection.focus);
      if (picture !== undefined) {
        event.preventDefault();
        props.onOpen(picture);
      }
    } else props.onKey(event);
  };

  const focused = idAt(selection.focus);
  const cells = size >= SMALLEST_WITH_SIGN;
  const wordsOf = (at: number) => {
    const flags = index.flagsAt(at);
    const parts = [
      at === selection.focus ? props.focusName : undefined,
      byId.get(index.classAt(at))?.name ?? "unlabelled",
      setWords(index.setAt(at)),
      flags & EXCLUDED ? "excluded" : undefined,
      flags & UNSURE ? "unsure" : undefined,
    ];
    return parts.filter(Boolean).join(", ");
  };
  const cell = (at: number, left: number, top: number) => {
    const id = idAt(at);
    return id === undefined ? null : (
      <div
        key={id}
        role="gridcell"
        id={`tile-${id}`}
        data-index={at}
        data-picture={id}
        aria-selected={selection.chosen.has(id)}
        aria-label={wordsOf(at)}
        title={wordsOf(at)}
        className="absolute"
        style={{ left, top, width: size, height: size + FOOT_HEIGHT[size] }}
      />
    );
  };
  const focusPlace = cells ? undefined : placeOf(layout, selection.focus);
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
        aria-activedescendant={focused === undefined ? undefined : `tile-${focused}`}
        tabIndex={0}
        data-testid="field"
        className="h-full overflow-y-auto overflow-x-hidden outline-none select-none"
        onKeyDown={onKeyDown}
        onFocus={() => setActive(true)}
        onBlur={() => setActive(false)}
        onDoubleClick={(event) => {
          const at = press.tileOf(event);
          const picture = at === undefined ? undefined : idAt(at);
          if (picture !== undefined) props.onOpen(picture);
        }}
        {...press.handlers}
      >
        <div className="sticky top-0 z-0 h-0">
          <canvas ref={canvas} className="pointer-events-none block" />
        </div>
        <div className="relative z-1" style={{ height: lines.getTotalSize() }}>
          {lines.getVirtualItems().map((item) => {
            const line = layout.lines[item.index];
            const row = line && rows[line.row];
            if (!line || !row) return null;
            const target = press.now?.kind === "carry" && press.now.row === line.row && props.accepts(row);
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
                {line.start === 0 && <RowHead row={row} largest={largest} actions={props.heads} />}
                {cells &&
                  Array.from({ length: line.end - line.start }, (_, column) =>
                    cell(
                      (layout.firsts[line.row] ?? 0) + line.start + column,
                      HEAD_WIDTH + column * layout.step,
                      LINE_INSET,
                    ),
                  )}
              </div>
            );
          })}
          {focusPlace && cell(selection.focus, focusPlace.left, focusPlace.top)}
          {press.now?.kind === "band" && <Band from={press.now.at} to={press.now.to} />}
        </div>
      </div>
      {pinnedRow && (
        <div
          className="absolute top-0 left-0 z-2 bg-ground pb-1"
          style={{ width: HEAD_WIDTH - 8, height: 60 }}
        >
          <RowHead row={pinnedRow} largest={largest} actions={props.heads} />
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

  const pointOf = (event: { clientX: number; clientY: number }): Point => {
    const box = scroller.current?.getBoundingClientRect();
    return {
      x: event.clientX - (box?.left ?? 0),
      y: event.clientY - (box?.top ?? 0) + (scroller.current?.scrollTop ?? 0),
    };
  };

  const tileOf = (event: { clientX: number; clientY: number }) => {
    const to = pointOf(event);
    return tileAt(layout, to.x, to.y - LINE_INSET);
  };

  const onPointerDown = (event: PointerEvent<HTMLDivElement>) => {
    if (event.button !== 0 || (event.target as Element).closest("button")) return;
    // The scroll bar is not the field.
    if (event.nativeEvent.offsetX > event.currentTarget.clientWidth && event.target === event.currentTarget)
      return;
    scroller.current?.focus({ preventScroll: true });
    const add = event.ctrlKey || event.metaKey;
    setNow({ kind: "pressed", at: pointOf(event), index: tileOf(event), add, range: event.shiftKey });
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
      if (row && props.accepts(row)) props.onDropOn(row, now.ids);
    }
    setNow(undefined);
  };

  return {
    now,
    tileOf,
    handlers: { onPointerDown, onPointerMove, onPointerUp, onPointerCancel: () => setNow(undefined) },
  };
}

function scrollAtEdge(element: HTMLDivElement | null, clientY: number): void {
  if (!element) return;
  const box = element.getBoundingClientRect();
  if (clientY < box.top + SCROLL_EDGE_PX) element.scrollTop -= 24;
  else if (clientY > box.bottom - SCROLL_EDGE_PX) element.scrollTop += 24;
}
