/**
 * Pictures of tiles, fetched in sheets of those that are on show and lacking, whatever their order, and kept until
 * room is needed. What has scrolled out of sight before it was asked for is not asked for.
 */

/** Tiles of one request: about as many pixels whatever their size, so that each takes the server as long. */
const TILES_PER_SHEET: readonly (readonly [side: number, tiles: number])[] = [
  [24, 1024],
  [56, 128],
  [112, 48],
  [400, 16],
];
const MOST_REQUESTS = 2;
const MOST_PIXELS = 24_000_000;

export interface TilePlace {
  readonly image: CanvasImageSource;
  readonly x: number;
  readonly y: number;
}

interface SheetImage {
  readonly image: ImageBitmap;
  readonly ids: readonly number[];
}

export function tilesPerSheet(side: number): number {
  return TILES_PER_SHEET.find(([most]) => side <= most)?.[1] ?? 16;
}

/** Fetches one sheet: these pictures, from left to right and top to bottom. */
export type FetchSheet = (ids: readonly number[], side: number, columns: number) => Promise<ImageBitmap>;

export class TileStore {
  private readonly places = new Map<number, TilePlace>();
  private readonly sheets: SheetImage[] = [];
  private readonly pending = new Set<number>();
  private readonly failed = new Set<number>();
  private wanted: readonly number[] = [];
  private requests = 0;
  private closed = false;

  constructor(
    private readonly side: number,
    private readonly fetchSheet: FetchSheet,
    private readonly onArrival: () => void,
  ) {}

  get(id: number): TilePlace | undefined {
    return this.places.get(id);
  }

  /** The pictures that are on show now, most wanted first. */
  want(ids: readonly number[]): void {
    this.wanted = ids.filter((id) => !this.places.has(id) && !this.failed.has(id));
    this.ask();
  }

  close(): void {
    this.closed = true;
    for (const sheet of this.sheets) sheet.image.close();
    this.places.clear();
  }

  private ask(): void {
    while (!this.closed && this.requests < MOST_REQUESTS) {
      const ids = this.wanted.filter((id) => !this.pending.has(id)).slice(0, tilesPerSheet(this.side));
      if (!ids.length) return;
      this.requests++;
      for (const id of ids) this.pending.add(id);
      const columns = Math.min(ids.length, Math.ceil(Math.sqrt(ids.length)));
      void this.fetchSheet(ids, this.side, columns)
        .then(
          (image) => this.keep(ids, image, columns),
          () => {
            for (const id of ids) this.failed.add(id);
            // Asked for again, but not at once: the application may be starting anew.
            setTimeout(() => {
              for (const id of ids) this.failed.delete(id);
              this.onArrival();
            }, 3000);
          },
        )
        .finally(() => {
          this.requests--;
          for (const id of ids) this.pending.delete(id);
          if (this.closed) return;
          this.wanted = this.wanted.filter((id) => !this.places.has(id) && !this.failed.has(id));
          this.ask();
        });
    }
  }

  private keep(ids: readonly number[], image: ImageBitmap, columns: number): void {
    if (this.closed) {
      image.close();
      return;
    }
    ids.forEach((id, index) => {
      const row = Math.floor(index / columns);
      this.places.set(id, { image, x: (index % columns) * this.side, y: row * this.side });
    });
    this.sheets.push({ image, ids });
    let pixels = this.sheets.reduce((sum, sheet) => sum + sheet.image.width * sheet.image.height, 0);
    while (pixels > MOST_PIXELS && this.sheets.length > 1) {
      const oldest = this.sheets.shift();
      if (!oldest) break;
      pixels -= oldest.image.width * oldest.image.height;
      for (const id of oldest.ids) if (this.places.get(id)?.image === oldest.image) this.places.delete(id);
      oldest.image.close();
    }
    this.onArrival();
  }
}
