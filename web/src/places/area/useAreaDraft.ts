/** The working area that is being drawn: tools, what is chosen of it, steps back, and the keys of the sheet. */
import { type KeyboardEvent, useState } from "react";
import {
  type Area,
  type Box,
  back,
  boxPolygon,
  type Draft,
  draftOf,
  forth,
  moved,
  type Part,
  type Point,
  type Polygon,
  stepped,
  stretched,
  USUAL_MARGIN,
  WHOLE,
  without,
} from "../../domain/area";

export type Tool = "keep" | "box" | "shape";
export type Way = "whole" | "part" | "found";

const TOOLS: Readonly<Record<string, Tool>> = { k: "keep", b: "box", p: "shape" };
const ARROWS: Readonly<Record<string, Point>> = {
  ArrowLeft: [-1, 0],
  ArrowRight: [1, 0],
  ArrowUp: [0, -1],
  ArrowDown: [0, 1],
};
const STEP = 0.01;
/** What a tool draws by Enter, to be moved by keys. */
const BY_KEY: Box = [0.1, 0.1, 0.9, 0.9];
const COVER_BY_KEY: Box = [0.4, 0.4, 0.6, 0.6];

export interface AreaDraft {
  readonly area: Area;
  readonly way: Way;
  readonly tool: Tool;
  readonly part: Part | undefined;
  /** Corners of the shape that is not closed yet. */
  readonly open: Polygon;
  setWay: (way: Way) => void;
  setTool: (tool: Tool) => void;
  choose: (part: Part | undefined) => void;
  take: (area: Area) => void;
  /** Another one instead, with nothing to step back to. */
  begin: (area: Area) => void;
  drawBox: (box: Box) => void;
  addCorner: (corner: Point) => void;
  closeShape: () => void;
  /** True if the key meant something here. */
  onKey: (event: KeyboardEvent) => boolean;
}

function wayOf(area: Area): Way {
  if (area.margin !== null) return "found";
  return area.keep || area.covered.length ? "part" : "whole";
}

export function useAreaDraft(first: Area): AreaDraft {
  const [draft, setDraft] = useState<Draft>(() => draftOf(first));
  const [way, setWayOnly] = useState<Way>(() => wayOf(first));
  const [tool, setTool] = useState<Tool>("keep");
  const [part, choose] = useState<Part>();
  const [open, setOpen] = useState<Polygon>([]);
  const { area } = draft;
  const take = (next: Area) => {
    setDraft(stepped(draft, next));
    setWayOnly(wayOf(next));
  };
  const begin = (next: Area) => {
    setDraft(draftOf(next));
    setWayOnly(wayOf(next));
    setOpen([]);
    choose(undefined);
  };
  const setWay = (next: Way) => {
    choose(undefined);
    setOpen([]);
    if (next === "whole") setDraft(stepped(draft, WHOLE));
    if (next === "found") setDraft(stepped(draft, { ...area, keep: null, margin: USUAL_MARGIN }));
    if (next === "part") setDraft(stepped(draft, { ...area, margin: null }));
    setWayOnly(next);
  };
  const cover = (points: Polygon) => {
    take({ ...area, covered: [...area.covered, points] });
    choose(area.covered.length);
  };
  const drawBox = (box: Box) => {
    if (tool !== "keep") return cover(boxPolygon(box));
    take({ ...area, keep: box, margin: null });
    choose("keep");
  };
  const closeShape = () => {
    if (open.length >= 3) cover(open);
    setOpen([]);
  };
  const step = (to: (draft: Draft) => Draft) => {
    const next = to(draft);
    setDraft(next);
    setWayOnly(wayOf(next.area));
    choose(undefined);
  };
  const onKey = (event: KeyboardEvent): boolean => {
    const { key } = event;
    if (event.ctrlKey || event.metaKey) {
      const again = key === "y" || (key.toLowerCase() === "z" && event.shiftKey);
      if (again && draft.future.length) step(forth);
      else if (!again && key === "z" && draft.past.length) step(back);
      else return false;
      return true;
    }
    const toward = ARROWS[key];
    if (toward && part !== undefined) {
      const change = event.shiftKey ? stretched : moved;
      take(change(area, part, toward[0] * STEP, toward[1] * STEP));
      return true;
    }
    const asked = TOOLS[key.toLowerCase()];
    if (asked) {
      setTool(way === "found" && asked === "keep" ? "box" : asked);
      setOpen([]);
      return true;
    }
    if (key === "Enter" && open.length) {
      closeShape();
      return true;
    }
    if (
      key === "Enter" &&
      tool !== "shape" &&
      event.target instanceof HTMLElement &&
      event.target.tabIndex === 0 &&
      event.target.tagName !== "BUTTON"
    ) {
      drawBox(tool === "keep" ? BY_KEY : COVER_BY_KEY);
      return true;
    }
    if (key === "Escape" && (open.length || part !== undefined)) {
      setOpen([]);
      choose(undefined);
      return true;
    }
    if (key === "Backspace" && open.length) {
      setOpen(open.slice(0, -1));
      return true;
    }
    if ((key === "Delete" || key === "Backspace") && part !== undefined) {
      take(without(area, part));
      choose(undefined);
      return true;
    }
    return false;
  };
  return {
    area,
    way,
    tool: way === "found" && tool === "keep" ? "box" : tool,
    part,
    open,
    setWay,
    setTool,
    choose,
    take,
    begin,
    drawBox,
    addCorner: (corner) => setOpen([...open, corner]),
    closeShape,
    onKey,
  };
}
