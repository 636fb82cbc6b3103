/** Which picture stands where in the field, and what its tile shows: in few bytes a picture, as the server sends them. */

const RECORD_BYTES = 16;
/** Of the number that the pictures are ordered by, where there is one. */
const FIGURE_BYTES = 4;
/** Flags of a record; the set stands in its two lowest bits. */
export const EXCLUDED = 4;
export const UNSURE = 8;
export const NOTED = 16;
export const TWO_LABELS = 32;
export const JUDGED = 64;
export const WRONG = 128;

const SETS = [null, "training", "validation", "test"] as const;

/** The records that have arrived, in the order of the field; more may follow. */
export class FieldIndex {
  private readonly view: DataView;
  private readonly stride: number;
  readonly loaded: number;

  constructor(
    records: ArrayBuffer,
    /** Pictures that the field has in all, loaded or not. */
    readonly total: number,
    /** What the number is that each record carries. */
    readonly figure?: string | undefined,
  ) {
    this.view = new DataView(records);
    this.stride = RECORD_BYTES + (figure ? FIGURE_BYTES : 0);
    this.loaded = Math.min(total, Math.floor(records.byteLength / this.stride));
  }

  /** The picture at a place; undefined beyond the end, and where it has not arrived yet. */
  idAt(index: number): number | undefined {
    if (index < 0 || index >= this.loaded) return undefined;
    const at = index * this.stride;
    return this.view.getUint32(at) * 2 ** 24 + (this.view.getUint32(at + 4) >>> 8);
  }

  flagsAt(index: number): number {
    return this.view.getUint8(index * this.stride + 7);
  }

  setAt(index: number): (typeof SETS)[number] {
    return SETS[this.flagsAt(index) & 3] ?? null;
  }

  /** 0 for unlabelled. */
  classAt(index: number): number {
    return this.view.getUint32(index * this.stride + 8);
  }

  /** 0 if the run was not asked. */
  predictedAt(index: number): number {
    return this.view.getUint32(index * this.stride + 12);
  }

  /** The number that the pictures are ordered by; undefined where this one has none. */
  figureAt(index: number): number | undefined {
    if (!this.figure || index >= this.loaded) return undefined;
    const value = this.view.getFloat32(index * this.stride + RECORD_BYTES);
    return Number.isNaN(value) ? undefined : value;
  }

  ids(): number[] {
    return this.idsBetween(0, this.loaded);
  }

  /** Pictures from one place to before another, as far as they have arrived. */
  idsBetween(from: number, to: number): number[] {
    const ids: number[] = [];
    for (let at = Math.max(0, from); at < Math.min(to, this.loaded); at++) ids.push(this.idAt(at) as number);
    return ids;
  }

  indexOf(id: number): number | undefined {
    for (let index = 0; index < this.loaded; index++) if (this.idAt(index) === id) return index;
    return undefined;
  }
}

/** Whether one of the pictures lacks a flag, so that setting it on all of them does something. */
export function lacks(index: FieldIndex, ids: readonly number[], flag: number): boolean {
  const wanted = new Set(ids);
  for (let at = 0; at < index.loaded; at++) {
    if (!(index.flagsAt(at) & flag) && wanted.has(index.idAt(at) as number)) return true;
  }
  return false;
}

export const EMPTY_INDEX = new FieldIndex(new ArrayBuffer(0), 0);

/** Pages of records as one. */
export function joined(pages: readonly ArrayBuffer[]): ArrayBuffer {
  const whole = new Uint8Array(pages.reduce((sum, page) => sum + page.byteLength, 0));
  let at = 0;
  for (const page of pages) {
    whole.set(new Uint8Array(page), at);
    at += page.byteLength;
  }
  return whole.buffer;
}

/** The bytes that a text holds as Base64. */
export function fromBase64(text: string): ArrayBuffer {
  return Uint8Array.from(atob(text), (sign) => sign.charCodeAt(0)).buffer;
}
