/** Heatmaps of the tiles on show: asked for a few at a time, the most wanted first, and kept while the same is asked. */

/** As many as the server answers without others having to wait. */
const MOST_REQUESTS = 2;
/** Pictures whose maps are kept: some screens of tiles. */
const MOST_KEPT = 600;

export interface Wanted {
  readonly id: number;
  /** Its class, 0 for unlabelled. */
  readonly labelled: number;
}

export class HeatStore<Map> {
  private readonly maps = new globalThis.Map<string, Map | undefined>();
  private readonly pending = new Set<string>();
  private wanted: readonly Wanted[] = [];
  private closed = false;

  constructor(
    private readonly read: (id: number, labelled: number) => Promise<Map>,
    private readonly onArrival: () => void,
  ) {}

  get({ id, labelled }: Wanted): Map | undefined {
    return this.maps.get(keyOf({ id, labelled }));
  }

  /** The pictures that are on show now, most wanted first. */
  want(pictures: readonly Wanted[]): void {
    this.wanted = pictures;
    this.ask();
  }

  /** How many of those on show are not there yet. */
  missing(): number {
    return this.wanted.filter((one) => !this.maps.has(keyOf(one))).length;
  }

  close(): void {
    this.closed = true;
  }

  private ask(): void {
    while (!this.closed && this.pending.size < MOST_REQUESTS) {
      const next = this.wanted.find((one) => !this.maps.has(keyOf(one)) && !this.pending.has(keyOf(one)));
      if (!next) return;
      const key = keyOf(next);
      this.pending.add(key);
      void this.read(next.id, next.labelled)
        .then(
          (map) => this.keep(key, map),
          // A picture that has none, such as of a test set without a look, stays as it is.
          () => this.keep(key, undefined),
        )
        .finally(() => {
          this.pending.delete(key);
          this.ask();
        });
    }
  }

  private keep(key: string, map: Map | undefined): void {
    if (this.closed) return;
    this.maps.set(key, map);
    const [oldest] = this.maps.keys();
    if (this.maps.size > MOST_KEPT && oldest !== undefined) this.maps.delete(oldest);
    this.onArrival();
  }
}

function keyOf({ id, labelled }: Wanted): string {
  return `${id} ${labelled}`;
}
