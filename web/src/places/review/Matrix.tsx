/** The confusion matrix: squares whose area is the share of the row, quiet where right, loud where wrong. */
import { type KeyboardEvent, type MouseEvent, type ReactNode, useRef, useState } from "react";
import type { Judgement, Model } from "../../api/client";
import { cellKey, isChosen, lineKey, matrixCells, type Share } from "../../domain/matrix";
import { percent, plural } from "../../domain/words";

interface Props {
  model: Model;
  judgement: Judgement;
  order: readonly number[];
  share: Share;
  counts: boolean;
  /** True classes stand side by side over the columns, and not one below the other. */
  across: boolean;
  /** Cells and lines on show, as true.predicted class ids. */
  chosen: ReadonlySet<string>;
  onChoose: (keys: readonly string[], add: boolean) => void;
}

const LABELS = 84;
/** Beyond so many classes a cell is too small for a figure on it, and its names stand only as often as there is room. */
const FIGURES_UP_TO = 30;
const HEADS_UP_TO = 12;
const NAMES_AT_MOST = 36;
/** Beyond so many the lines between cells would be most of what is seen. */
const LINES_UP_TO = 60;
/** Beyond so many classes only cells that hold pictures are made: of a hundred by a hundred most hold none. */
const EVERY_CELL_UP_TO = 30;

/** Where a cell stands in the drawing. */
interface Place {
  readonly row: number;
  readonly column: number;
}

export function Matrix({ model, judgement, order, share, counts, across, chosen, onChoose }: Props) {
  const cells = matrixCells(judgement, share);
  const size = order.length;
  const anchor = useRef<Place>(undefined);
  const [said, setSaid] = useState("");
  const classesAt = ({ row, column }: Place): [number, number] => {
    const [down, side] = [order[row] ?? 0, order[column] ?? 0];
    return across ? [side, down] : [down, side];
  };
  const keyAt = (place: Place) => cellKey(model.classes, ...classesAt(place));
  const choose = (place: Place, { shiftKey, ctrlKey, metaKey }: MouseEvent) => {
    if (shiftKey && anchor.current) return onChoose(between(anchor.current, place).map(keyAt), true);
    anchor.current = place;
    onChoose([keyAt(place)], ctrlKey || metaKey);
  };
  const both = (place: Place) =>
    onChoose([keyAt(place), keyAt({ row: place.column, column: place.row })], false);
  const name = (place: number) => model.classes[place]?.name ?? "";
  const every = Math.ceil(size / NAMES_AT_MOST);
  const sparse = size > EVERY_CELL_UP_TO;
  const first = firstCell(size, (place) => {
    const [truth, predicted] = classesAt(place);
    return !sparse || (cells[truth * size + predicted]?.count ?? 0) > 0;
  });
  const [down, side] = across ? (["predicted", "true"] as const) : (["true", "predicted"] as const);
  return (
    <>
      <p className="h-5 truncate text-sm text-quiet" data-testid="cell-words">
        {said || "Ctrl or Shift for several; twice, or B, for both directions; a name for its whole line"}
      </p>
      <div
        role="grid"
        aria-label={`Confusion matrix: rows are ${down} classes, columns ${side} ones`}
        onPointerLeave={() => setSaid("")}
        data-testid="matrix"
        className="grid select-none"
        style={{
          gridTemplateColumns: `${LABELS}px repeat(${size}, minmax(0, 1fr))`,
          gridTemplateRows: `18px 22px repeat(${size}, minmax(0, 1fr)) `,
          aspectRatio: `${size + 1.6} / ${size + 0.8}`,
        }}
      >
        <span className="text-sm text-quiet italic">{down} ↓</span>
        <span className="text-center text-sm text-quiet italic" style={{ gridColumn: `2 / span ${size}` }}>
          {side} →
        </span>
        <span />
        <div role="row" className="contents">
          <Heads
            model={model}
            order={order}
            of={side}
            onChoose={(place, add) => onChoose([lineKey(model.classes, place, side)], add)}
          />
        </div>
        <Lines size={size} />
        {order.map((line, row) => (
          <div key={line} role="row" className="contents">
            <span
              role="rowheader"
              style={{ gridRow: row + 3, gridColumn: 1 }}
              className={`flex min-w-0 items-center justify-end pr-2 ${size > FIGURES_UP_TO ? "text-[10px] leading-none" : "text-sm"}`}
            >
              {row % every === 0 && (
                <LineName
                  words={`All that are ${down === "true" ? "" : "read as "}${name(line)}`}
                  onChoose={(add) => onChoose([lineKey(model.classes, line, down)], add)}
                >
                  {name(line)}
                </LineName>
              )}
            </span>
            {order.map((other, column) => {
              const [truth, predicted] = classesAt({ row, column });
              const cell = cells[truth * size + predicted];
              if (!cell || (sparse && !cell.count)) return null;
              const whole =
                (share === "row"
                  ? judgement.classes[truth]?.count
                  : judgement.classes[predicted]?.predicted) ?? 0;
              return (
                <Square
                  key={other}
                  {...{ cell, row, column, size, share, whole, counts }}
                  truth={name(truth)}
                  predicted={name(predicted)}
                  first={row === first?.row && column === first.column}
                  chosen={isChosen(model.classes, chosen, truth, predicted)}
                  onChoose={(event) => choose({ row, column }, event)}
                  onBoth={() => both({ row, column })}
                  onSaid={setSaid}
                />
              );
            })}
          </div>
        ))}
      </div>
    </>
  );
}

/** The first place, row by row, of which it is true. */
function firstCell(size: number, made: (place: Place) => boolean): Place | undefined {
  for (let row = 0; row < size; row++)
    for (let column = 0; column < size; column++) if (made({ row, column })) return { row, column };
  return undefined;
}

/** The frame and the lines between cells, under them. */
function Lines({ size }: { size: number }) {
  const line = (way: string) =>
    `repeating-linear-gradient(to ${way}, var(--hairline) 0 1px, transparent 1px calc(100% / ${size}))`;
  return (
    <span
      aria-hidden="true"
      className="border border-hairline"
      style={{
        gridRow: `3 / span ${size}`,
        gridColumn: `2 / span ${size}`,
        background: size > LINES_UP_TO ? undefined : `${line("right")}, ${line("bottom")}`,
      }}
    />
  );
}

/** All places in the rectangle that two cells span. */
function between(a: Place, b: Place): Place[] {
  const [top, bottom] = [Math.min(a.row, b.row), Math.max(a.row, b.row)];
  const [left, right] = [Math.min(a.column, b.column), Math.max(a.column, b.column)];
  const places: Place[] = [];
  for (let row = top; row <= bottom; row++)
    for (let column = left; column <= right; column++) places.push({ row, column });
  return places;
}

interface LineNameProps {
  words: string;
  /** It stands over a column that is narrower than itself, with room beside. */
  narrow?: boolean;
  onChoose: (add: boolean) => void;
  children: ReactNode;
}

function LineName({ words, narrow, onChoose, children }: LineNameProps) {
  return (
    <button
      type="button"
      title={words}
      aria-label={words}
      onClick={(event) => onChoose(event.ctrlKey || event.metaKey || event.shiftKey)}
      className={`cursor-pointer whitespace-nowrap hover:text-choice hover:underline ${
        narrow ? "" : "max-w-full min-w-0 overflow-x-clip overflow-y-visible text-ellipsis"
      }`}
    >
      {children}
    </button>
  );
}

interface HeadsProps extends Pick<Props, "model" | "order"> {
  of: "true" | "predicted";
  onChoose: (place: number, add: boolean) => void;
}

/** Names over the columns; a few letters of a long one tell nothing, so narrow columns bear the classes' signs. */
function Heads({ model, order, of, onChoose }: HeadsProps) {
  const narrow = order.length > HEADS_UP_TO;
  const every = Math.ceil(order.length / (NAMES_AT_MOST / 2));
  return order.map((place, column) => {
    const entry = model.classes[place];
    return (
      <span
        role="columnheader"
        key={place}
        className={`px-0.5 text-center ${narrow ? "overflow-visible text-[10px] whitespace-nowrap" : "truncate text-sm"}`}
      >
        {column % every === 0 && (
          <LineName
            narrow={narrow}
            words={`All that are ${of === "true" ? "" : "read as "}${entry?.name}`}
            onChoose={(add) => onChoose(place, add)}
          >
            {narrow ? entry?.sign : entry?.name}
          </LineName>
        )}
      </span>
    );
  });
}

/** To the next cell in a direction, over those that were not made. */
function moveFocus(event: KeyboardEvent<HTMLButtonElement>, row: number, column: number, size: number): void {
  const by: Record<string, [number, number]> = {
    ArrowLeft: [0, -1],
    ArrowRight: [0, 1],
    ArrowUp: [-1, 0],
    ArrowDown: [1, 0],
  };
  const step = by[event.key];
  if (!step) return;
  event.preventDefault();
  for (let n = 1; n < size; n++) {
    const next = document.getElementById(`cell-${row + n * step[0]}-${column + n * step[1]}`);
    if (next) {
      next.focus();
      return;
    }
  }
}

interface SquareProps extends Pick<Props, "share" | "counts"> {
  cell: ReturnType<typeof matrixCells>[number];
  row: number;
  column: number;
  size: number;
  /** Names of the classes. */
  truth: string;
  predicted: string;
  /** Pictures of the row or the column. */
  whole: number;
  chosen: boolean;
  /** The one that Tab leads to. */
  first: boolean;
  onChoose: (event: MouseEvent) => void;
  /** Takes its mirror image along. */
  onBoth: () => void;
  onSaid: (words: string) => void;
}

function Square({
  cell,
  row,
  column,
  size,
  truth,
  predicted,
  share,
  whole,
  counts,
  chosen,
  first,
  onChoose,
  onBoth,
  onSaid,
}: SquareProps) {
  const right = row === column;
  const words = right
    ? `${plural(cell.count, truth)} read rightly, ${percent(cell.count, whole)} of the ${share}`
    : `${cell.count} ${truth} read as ${predicted}, ${percent(cell.count, whole)} of the ${share}`;
  return (
    <button
      id={`cell-${row}-${column}`}
      type="button"
      role="gridcell"
      aria-label={words}
      title={words}
      aria-selected={chosen}
      data-cell={`${truth}>${predicted}`}
      tabIndex={first ? 0 : -1}
      style={{ gridRow: row + 3, gridColumn: column + 2 }}
      onKeyDown={(event) => (event.key === "b" ? onBoth() : moveFocus(event, row, column, size))}
      onClick={onChoose}
      onDoubleClick={onBoth}
      onPointerEnter={() => onSaid(words)}
      onFocus={() => onSaid(words)}
      className={`relative flex cursor-pointer items-center justify-center hover:bg-sunken ${chosen ? "z-10 bg-choice-wash outline-2 outline-choice" : ""}`}
    >
      <Filling side={cell.side} right={right}>
        {cell.count > 0 &&
          size <= FIGURES_UP_TO &&
          (counts ? cell.count : percent(cell.count, whole).replace(" ", ""))}
      </Filling>
    </button>
  );
}

/** A square as large as its share, and the figure on it. */
function Filling({ side, right, children }: { side: number; right: boolean; children: ReactNode }) {
  return (
    <>
      <span
        aria-hidden="true"
        className="absolute top-1/2 left-1/2 -translate-x-1/2 -translate-y-1/2"
        style={{
          width: `${side * 92}%`,
          height: `${side * 92}%`,
          minWidth: side > 0 ? 2 : 0,
          minHeight: side > 0 ? 2 : 0,
          background: right ? "var(--good)" : "var(--wrong)",
          opacity: right ? 0.28 : 0.85,
        }}
      />
      {children && (
        <span
          className={`relative font-mono text-sm font-semibold ${
            !right && side > 0.42
              ? "text-surface"
              : "text-ink [text-shadow:0_0_3px_var(--ground),0_0_2px_var(--ground)]"
          }`}
        >
          {children}
        </span>
      )}
    </>
  );
}
