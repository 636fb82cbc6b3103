/** Small tiles are cut from sheets that the server composes; a sheet holds pictures that came in together. */
import type { Picture } from "../api/client";

export const SHEET_COLUMNS = 16;
const SHEET_TILES = 256;
/** The largest tiles that are cut from sheets; beyond them a screen holds too few for sheets to pay. */
export const LARGEST_ON_SHEETS = 56;
/** Tiles are cut out at the size at which they are shown, for scaling costs more than painting; 12 shares with 28. */
const SMALLEST_ON_SHEETS = 28;

export interface SheetPlace {
  readonly url: string;
  readonly column: number;
  readonly row: number;
}

/** Where each picture stands: by the order they came in, so that labelling moves no picture to another sheet. */
export function sheetPlaces(
  projectId: number,
  pictures: readonly Picture[],
  tile: number,
): Map<number, SheetPlace> {
  const side = Math.max(SMALLEST_ON_SHEETS, tile);
  const places = new Map<number, SheetPlace>();
  for (let start = 0; start < pictures.length; start += SHEET_TILES) {
    const members = pictures.slice(start, start + SHEET_TILES);
    const ids = members.map((picture) => picture.id).join(",");
    const url = `/api/projects/${projectId}/sheet?side=${side}&columns=${SHEET_COLUMNS}&ids=${ids}`;
    members.forEach((picture, index) => {
      places.set(picture.id, { url, column: index % SHEET_COLUMNS, row: Math.floor(index / SHEET_COLUMNS) });
    });
  }
  return places;
}
