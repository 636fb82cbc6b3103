/** Paints the tiles of the picture field that are on show: picture, foot, marks, and what is chosen. */
import type { ClassOf } from "../../api/client";
import { COLOURS, colourPlace, signColour } from "../../domain/classColour";
import {
  type FieldLayout,
  FOOT_HEIGHT,
  lineAt,
  SMALLEST_WITH_SIGN,
  type TileSize,
  type View,
} from "../../domain/field";
import { EXCLUDED, type FieldIndex, JUDGED, NOTED, TWO_LABELS, UNSURE, WRONG } from "../../domain/fieldIndex";
import { figureWords } from "../../domain/figures";
import type { TilePlace } from "../../domain/tileStore";

/** Colours of the present theme, read once, because asking the style for each tile would cost more than painting. */
export interface Palette {
  readonly classes: readonly string[];
  readonly none: string;
  readonly sunken: string;
  readonly ground: string;
  readonly choice: string;
  readonly ink: string;
  readonly textures: { readonly validation: CanvasPattern | null; readonly test: CanvasPattern | null };
}

export function readPalette(context: CanvasRenderingContext2D): Palette {
  const style = getComputedStyle(document.documentElement);
  const colour = (name: string) => style.getPropertyValue(name).trim();
  return {
    classes: Array.from({ length: COLOURS }, (_, place) => colour(`--class-${place}`)),
    none: colour("--class-none"),
    sunken: colour("--sunken"),
    ground: colour("--ground"),
    choice: colour("--choice"),
    ink: colour("--ink"),
    textures: { validation: hatching(context), test: dots(context) },
  };
}

function pattern(
  context: CanvasRenderingContext2D,
  side: number,
  draw: (on: OffscreenCanvasRenderingContext2D) => void,
): CanvasPattern | null {
  const canvas = new OffscreenCanvas(side, side);
  const on = canvas.getContext("2d");
  if (!on) return null;
  draw(on);
  return context.createPattern(canvas, "repeat");
}

function hatching(context: CanvasRenderingContext2D): CanvasPattern | null {
  return pattern(context, 6, (on) => {
    on.strokeStyle = "rgb(20 20 20 / 0.6)";
    on.lineWidth = 1.6;
    for (const shift of [-6, 0, 6]) {
      on.beginPath();
      on.moveTo(shift, 6);
      on.lineTo(shift + 6, 0);
      on.stroke();
    }
  });
}

function dots(context: CanvasRenderingContext2D): CanvasPattern | null {
  return pattern(context, 5, (on) => {
    on.fillStyle = "rgb(20 20 20 / 0.65)";
    on.beginPath();
    on.arc(2.5, 2.5, 1.2, 0, 7);
    on.fill();
  });
}

export interface FieldPicture {
  readonly layout: FieldLayout;
  readonly index: FieldIndex;
  readonly size: TileSize;
  readonly classes: ReadonlyMap<number, ClassOf>;
  readonly chosen: ReadonlySet<number>;
  /** Flat index of the tile with the focus; undefined while the field has none. */
  readonly focus: number | undefined;
  readonly tileOf: (id: number) => TilePlace | undefined;
  /** Side of the tiles in their sheets. */
  readonly side: number;
}

export function paintField(
  on: CanvasRenderingContext2D,
  field: FieldPicture,
  palette: Palette,
  view: View,
): void {
  const { layout } = field;
  on.clearRect(0, 0, view.width, view.height);
  on.imageSmoothingEnabled = field.side !== field.size;
  for (let number = lineAt(layout, view.top); number < layout.lines.length; number++) {
    const line = layout.lines[number];
    if (!line || line.top > view.top + view.height) break;
    const y = line.top - view.top + line.inset;
    const first = (layout.firsts[line.row] ?? 0) + line.start;
    for (let column = 0; column < line.end - line.start; column++) {
      paintTile(on, field, palette, first + column, line.left + column * layout.step, y);
    }
  }
}

function paintTile(
  on: CanvasRenderingContext2D,
  field: FieldPicture,
  palette: Palette,
  index: number,
  x: number,
  y: number,
): void {
  const { size, side } = field;
  const id = field.index.idAt(index);
  const tile = id === undefined ? undefined : field.tileOf(id);
  if (tile) on.drawImage(tile.image, tile.x, tile.y, side, side, x, y, size, size);
  else {
    on.fillStyle = palette.sunken;
    on.fillRect(x, y, size, size);
  }
  if (id === undefined) return;
  const flags = field.index.flagsAt(index);
  if (flags & EXCLUDED) {
    on.fillStyle = palette.ground;
    on.globalAlpha = 0.72;
    on.fillRect(x, y, size, size);
    on.globalAlpha = 1;
  }
  const foot = FOOT_HEIGHT[size];
  if (foot) paintFoot(on, field, palette, index, x, y + size);
  if (size >= SMALLEST_WITH_SIGN) {
    paintMarks(on, palette, flags, x, y, size);
    paintFigure(on, figureWords(field.index.figure, field.index.figureAt(index)), x, y, size);
  }
  if (field.chosen.has(id)) {
    on.strokeStyle = palette.choice;
    on.fillStyle = palette.choice;
    on.globalAlpha = 0.25;
    on.fillRect(x, y, size, size + foot);
    on.globalAlpha = 1;
    on.lineWidth = size < SMALLEST_WITH_SIGN ? 1 : 2;
    on.strokeRect(x - 0.5, y - 0.5, size + 1, size + foot + 1);
  }
  if (field.focus === index) {
    on.strokeStyle = palette.ink;
    on.lineWidth = 2;
    on.strokeRect(x - 2, y - 2, size + 4, size + foot + 4);
  }
}

function colourOf(palette: Palette, entry: ClassOf | undefined): string {
  return palette.classes[colourPlace(entry) ?? -1] ?? palette.none;
}

/** Class by colour and sign, set by texture; read wrongly, it is split: true class left, predicted right. */
function paintFoot(
  on: CanvasRenderingContext2D,
  field: FieldPicture,
  palette: Palette,
  index: number,
  x: number,
  y: number,
): void {
  const { size, classes } = field;
  const height = FOOT_HEIGHT[size];
  const flags = field.index.flagsAt(index);
  const entry = classes.get(field.index.classAt(index));
  const split = Boolean(flags & JUDGED && flags & WRONG);
  on.fillStyle = colourOf(palette, entry);
  on.fillRect(x, y, size, height);
  const predicted = split ? classes.get(field.index.predictedAt(index)) : undefined;
  if (split) {
    on.fillStyle = colourOf(palette, predicted);
    on.fillRect(x + size / 2, y, size / 2, height);
  }
  const set = field.index.setAt(index);
  const texture = set === "validation" || set === "test" ? palette.textures[set] : null;
  const signed = size >= SMALLEST_WITH_SIGN;
  if (texture) {
    on.fillStyle = texture;
    const from = signed ? 22 : 0;
    on.fillRect(x + from, y, (split ? size / 2 : size) - from, height);
  }
  if (!signed) return;
  on.font = `700 ${Math.min(12, height - 2)}px "Source Sans 3 Variable", sans-serif`;
  on.textBaseline = "middle";
  on.fillStyle = signColour(colourPlace(entry));
  on.fillText(entry?.sign ?? "–", x + 4, y + height / 2 + 0.5);
  if (split) {
    on.fillStyle = signColour(colourPlace(predicted));
    on.fillText(predicted?.sign ?? "–", x + size / 2 + 4, y + height / 2 + 0.5);
  }
}

const MARKS: readonly (readonly [flag: number, mark: string])[] = [
  [EXCLUDED, "×"],
  [UNSURE, "?"],
  [TWO_LABELS, "2"],
  [NOTED, "¶"],
];

function paintMarks(
  on: CanvasRenderingContext2D,
  palette: Palette,
  flags: number,
  x: number,
  y: number,
  size: number,
): void {
  const marks = MARKS.filter(([flag]) => flags & flag).map(([, mark]) => mark);
  marks.forEach((mark, place) => {
    const left = x + size - 15 * (place + 1);
    on.fillStyle = palette.ground;
    on.globalAlpha = 0.86;
    on.fillRect(left, y, 14, 14);
    on.globalAlpha = 1;
    on.fillStyle = palette.ink;
    on.font = '700 11px "Source Sans 3 Variable", sans-serif';
    on.textBaseline = "middle";
    on.textAlign = "center";
    on.fillText(mark, left + 7, y + 7.5);
    on.textAlign = "start";
  });
}

/** What the pictures are ordered by, over the lower edge of the picture. */
function paintFigure(
  on: CanvasRenderingContext2D,
  words: string | undefined,
  x: number,
  y: number,
  size: TileSize,
): void {
  if (!words) return;
  on.font = '600 11px "Source Code Pro Variable", monospace';
  on.textBaseline = "middle";
  const width = Math.min(size, on.measureText(words).width + 6);
  // On any picture and in either theme: light on dark.
  on.fillStyle = "rgb(20 20 20 / 0.75)";
  on.fillRect(x, y + size - 15, width, 15);
  on.fillStyle = "#fff";
  on.fillText(words, x + 3, y + size - 7, size - 5);
}
