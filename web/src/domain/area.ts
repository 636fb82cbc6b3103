/** Working areas: which part of a picture counts, as it is drawn, moved and told. Fractions of the turned picture. */
import type { AreaOf, AreaRule, FoundArea } from "../api/client";
import { plural } from "./words";

export type Box = readonly [number, number, number, number];
export type Point = readonly [number, number];
export type Polygon = readonly Point[];

export interface Area {
  readonly keep: Box | null;
  /** What stands out is kept, with so much of its sides around it; null: it is not looked for. */
  readonly margin: number | null;
  readonly covered: readonly Polygon[];
  /** Red, green, blue; null: the mean of what is left. */
  readonly fill: readonly number[] | null;
}

/** What is chosen to be moved: the kept part, or a covered one by its place. */
export type Part = "keep" | number;

export const WHOLE: Area = { keep: null, margin: null, covered: [], fill: null };
/** Around what stands out, as the finder was measured with. */
export const USUAL_MARGIN = 0.08;
/** A drag shorter than this is a click that slipped. */
const LEAST = 0.01;
const DIGITS = 1e4;

export function areaFrom(stored: AreaOf | null | undefined): Area {
  if (!stored) return WHOLE;
  const [left = 0, top = 0, right = 1, bottom = 1] = stored.keep ?? [];
  return {
    keep: stored.keep ? [left, top, right, bottom] : null,
    margin: stored.margin,
    covered: stored.covered.map((polygon) => polygon.map(([x = 0, y = 0]): Point => [x, y])),
    fill: stored.fill,
  };
}

export function isWhole(area: Area): boolean {
  return !area.keep && area.margin === null && !area.covered.length;
}

const within = (value: number) => Math.round(Math.min(1, Math.max(0, value)) * DIGITS) / DIGITS;

/** The box between two corners; undefined where it has hardly any extent. */
export function boxBetween(one: Point, other: Point): Box | undefined {
  const [left, right] = [within(Math.min(one[0], other[0])), within(Math.max(one[0], other[0]))];
  const [top, bottom] = [within(Math.min(one[1], other[1])), within(Math.max(one[1], other[1]))];
  return right - left < LEAST || bottom - top < LEAST ? undefined : [left, top, right, bottom];
}

export function boxPolygon([left, top, right, bottom]: Box): Polygon {
  return [
    [left, top],
    [right, top],
    [right, bottom],
    [left, bottom],
  ];
}

export function extent(points: Polygon): Box {
  const across = points.map(([x]) => x);
  const down = points.map(([, y]) => y);
  return [Math.min(...across), Math.min(...down), Math.max(...across), Math.max(...down)];
}

/** How far a box may go, so that it stays on the picture. */
function bounded([left, top, right, bottom]: Box, across: number, down: number): Point {
  return [Math.min(1 - right, Math.max(-left, across)), Math.min(1 - bottom, Math.max(-top, down))];
}

function mapped(area: Area, part: Part, change: (points: Polygon) => Polygon): Area {
  if (part !== "keep")
    return { ...area, covered: area.covered.map((entry, at) => (at === part ? change(entry) : entry)) };
  return area.keep ? { ...area, keep: extent(change(boxPolygon(area.keep))) } : area;
}

/** A part moved, no further than to the picture's sides. */
export function moved(area: Area, part: Part, across: number, down: number): Area {
  return mapped(area, part, (points) => {
    const [dx, dy] = bounded(extent(points), across, down);
    return points.map(([x, y]): Point => [within(x + dx), within(y + dy)]);
  });
}

/** A part made wider and higher from its upper left corner; it keeps an extent and stays on the picture. */
export function stretched(area: Area, part: Part, across: number, down: number): Area {
  return mapped(area, part, (points) => {
    const [left, top, right, bottom] = extent(points);
    const width = Math.min(1 - left, Math.max(LEAST, right - left + across));
    const height = Math.min(1 - top, Math.max(LEAST, bottom - top + down));
    return points.map(
      ([x, y]): Point => [
        within(left + ((x - left) * width) / (right - left)),
        within(top + ((y - top) * height) / (bottom - top)),
      ],
    );
  });
}

export function without(area: Area, part: Part): Area {
  if (part === "keep") return { ...area, keep: null };
  return { ...area, covered: area.covered.filter((_, at) => at !== part) };
}

/** What is being drawn, with what it was before each step. */
export interface Draft {
  readonly area: Area;
  readonly past: readonly Area[];
  readonly future: readonly Area[];
}

export const draftOf = (area: Area): Draft => ({ area, past: [], future: [] });

export function stepped(draft: Draft, area: Area): Draft {
  return { area, past: [...draft.past, draft.area], future: [] };
}

export function back(draft: Draft): Draft {
  const area = draft.past.at(-1);
  return area ? { area, past: draft.past.slice(0, -1), future: [draft.area, ...draft.future] } : draft;
}

export function forth(draft: Draft): Draft {
  const [area, ...future] = draft.future;
  return area ? { area, past: [...draft.past, draft.area], future } : draft;
}

const share = (value: number) => `${Math.round(value * 100)} %`;

export function fillWords(fill: Area["fill"]): string {
  return fill ? `#${fill.map((value) => value.toString(16).padStart(2, "0")).join("")}` : "its mean";
}

export function areaWords(area: Area): string {
  const kept =
    area.margin !== null
      ? `what stands out, with ${share(area.margin)} around it`
      : area.keep
        ? `${share(area.keep[0])} to ${share(area.keep[2])} sideways, ${share(area.keep[1])} to ${share(area.keep[3])} down`
        : "the whole picture";
  if (!area.covered.length) return kept;
  return `${kept}, ${plural(area.covered.length, "part")} covered by ${fillWords(area.fill)}`;
}

/** What lies outside the kept part, as a path over a picture of one by one. */
export function outsidePath([left, top, right, bottom]: Box): string {
  return `M0 0H1V1H0ZM${left} ${top}V${bottom}H${right}V${top}Z`;
}

export function pointsText(points: Polygon): string {
  return points.map(([x, y]) => `${x},${y}`).join(" ");
}

/** The rules with one for this Sift: in the place of the former one, else before the one for all pictures. */
export function withRule(rules: readonly AreaRule[], sift: string, area: Area): AreaRule[] {
  const made: AreaRule = { sift, area: storable(area) };
  if (!sift && isWhole(area)) return rules.filter((rule) => rule.sift);
  const at = rules.findIndex((rule) => rule.sift === sift);
  if (at >= 0) return rules.map((rule, place) => (place === at ? made : rule));
  return sift ? [made, ...rules] : [...rules, made];
}

export function storable(area: Area): AreaOf {
  return {
    keep: area.keep && [...area.keep],
    margin: area.margin,
    covered: area.covered.map((polygon) => polygon.map((point) => [...point])),
    fill: area.fill && [...area.fill],
  };
}

export function ruleFor(sift: string): string {
  return sift ? `pictures with ${sift}` : "all pictures";
}

/** What was found, the likeliest wrong first. */
export function byDoubt(found: readonly FoundArea[]): FoundArea[] {
  return [...found].sort((one, other) => other.doubt - one.doubt || one.picture_id - other.picture_id);
}

export function doubtWords(found: readonly FoundArea[]): string {
  const doubtful = found.filter((entry) => entry.why);
  if (!doubtful.length) return `${plural(found.length, "picture")} looked at, none of them doubtful`;
  return `${plural(found.length, "picture")} looked at, ${doubtful.length} doubtful`;
}
