/** Paints the tiles of the picture field that are on show: picture, foot, marks, and what is chosen. */
import type { ClassOf, Heatmap } from "../../api/client";
import { COLOURS, colourPlace, signColour } from "../../domain/classColour";
import {
  type FieldLayout,
  FOOT_HEIGHT,
  lineAt,
  SMALLEST_WITH_SIGN,
  type TileSize,
  type View,
} from "../../domain/field";
import { EXCLUDED, type FieldIndex, NOTED, TWO_LABELS, UNSURE } from "../../domain/fieldIndex";
import { figureWords } from "../../domain/figures";
import { heatOnTile, heatPixels } from "../../domain/heat";
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
  /** Where a model looks in a picture with a label; undefined where nothing is asked, or it is not there yet. */
  readonly heatOf?: ((id: number, labelled: number) => PaintedHeat | undefined) | undefined;
  readonly strength?: number;
}

/** A heatmap as a picture. */
export interface PaintedHeat {
  readonly found: Heatmap;
  readonly canvas: OffscreenCanvas;
}

export function paintedHeat(found: Heatmap): PaintedHeat {
  const canvas = new OffscreenCanvas(found.columns, found.rows);
  canvas.getContext("2d")?.putImageData(new ImageData(heatPixels(found, 1), found.columns, found.rows), 0, 0);
  return { found, canvas };
}

/** The map over its tile, clipped by it: with a border the network sees more than the picture. */
function paintHeat(
  on: CanvasRenderingContext2D,
  heat: PaintedHeat,
  strength: number,
  x: number,
  y: number,
  size: number,
): void {
  const { left, top, width, height } = heatOnTile(heat.found, size);
  on.save();
  on.beginPath();
  on.rect(x, y, size, size);
  on.clip();
  on.globalAlpha = strength;
  on.imageSmoothingEnabled = true;
  on.drawImage(heat.canvas, x + left, y + top, width, height);
  on.restore();
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
  const heat = field.heatOf?.(id, field.index.classAt(index));
  if (heat) paintHeat(on, heat, field.strength ?? 1, x, y, size);
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

/** Tiles from here on say what comes next in an answer; from there on classes stand by their names. */
const WITH_NEXT = 104;
const WITH_NAMES = 200;

/**
 * Class by colour and sign, set by texture; read as another, it is split: its class left, the predicted one right. What
 * the model says next stands behind a point, and "unsure" is a question mark.
 */
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
  const entry = classes.get(field.index.classAt(index));
  const split = field.index.misreadAt(index);
  const predicted = split ? classes.get(field.index.predictedAt(index)) : undefined;
  const width = split ? size / 2 : size;
  on.fillStyle = colourOf(palette, entry);
  on.fillRect(x, y, width, height);
  if (split) {
    on.fillStyle = colourOf(palette, predicted);
    on.fillRect(x + width, y, width, height);
  }
  const signed = size >= SMALLEST_WITH_SIGN;
  on.font = `700 ${Math.min(12, height - 2)}px "Source Sans 3 Variable", sans-serif`;
  on.textBaseline = "middle";
  const words = shortened(on, classWords(entry, size), width - 8);
  const said = shortened(on, answerWords(field, index, predicted), width - 8);
  const texture = textureOf(palette, field.index.setAt(index));
  if (texture) {
    on.fillStyle = texture;
    const from = signed ? Math.max(22, on.measureText(words).width + 10) : 0;
    const to = said && !split ? width - on.measureText(said).width - 8 : width;
    on.fillRect(x + from, y, Math.max(0, to - from), height);
  }
  if (!signed) return;
  const middle = y + height / 2 + 0.5;
  on.fillStyle = signColour(colourPlace(entry));
  on.fillText(words, x + 4, middle);
  if (!said) return;
  on.fillStyle = signColour(colourPlace(predicted ?? entry));
  if (split) on.fillText(said, x + width + 4, middle);
  else on.fillText(said, x + width - on.measureText(said).width - 4, middle);
}

function textureOf(palette: Palette, set: "training" | "validation" | "test" | null): CanvasPattern | null {
  return set === "validation" || set === "test" ? palette.textures[set] : null;
}

function classWords(entry: ClassOf | undefined, size: TileSize): string {
  return (size >= WITH_NAMES ? entry?.name : entry?.sign) ?? "–";
}

/** What the model said: another class, whether it is unsure of it, and what comes next. */
function answerWords({ index, size, classes }: FieldPicture, at: number, other: ClassOf | undefined): string {
  const next = size >= WITH_NEXT ? classes.get(index.nextAt(at)) : undefined;
  return [
    (other ? classWords(other, size) : "") + (index.undecidedAt(at) ? "?" : ""),
    next ? `· ${classWords(next, size)}` : "",
  ]
    .filter(Boolean)
    .join(" ");
}

/** As much of a text as there is room for. */
function shortened(on: CanvasRenderingContext2D, text: string, width: number): string {
  if (on.measureText(text).width <= width) return text;
  let kept = text.length;
  while (kept > 1 && on.measureText(`${text.slice(0, kept)}…`).width > width) kept--;
  return `${text.slice(0, kept)}…`;
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
