/** Which picture stands where in the field, and what its tile shows: in few bytes a picture, as the server sends them. */

const RECORD_BYTES = 16;
/** Of the number that the pictures are ordered by, where there is one, and of the run's next class, if asked for. */
const FURTHER_BYTES = 4;
/** Set where the model says "unsure". */
const UNDECIDED_BIT = 2 ** 31;
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
  private readonly answersAt: number | undefined;
  /** What the number is that each record carries. */
  readonly figure: string | undefined;
  readonly loaded: number;

  constructor(
    records: ArrayBuffer,
    /** Pictures that the field has in all, loaded or not. */
    readonly total: number,
    has: {
      /** What the number is that each record carries. */
      readonly figure?: string | undefined;
      /** The next class, and whether the model says "unsure". */
      readonly answers?: boolean | undefined;
    } = {},
  ) {
    this.view = new DataView(records);
    this.figure = has.figure;
    const first = RECORD_BYTES + (has.figure ? FURTHER_BYTES : 0);
    this.answersAt = has.answers ? first : undefined;
    this.stride = first + (has.answers ? FURTHER_BYTES : 0);
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

  /** The class that is next in the run's answer; 0 where that is not known. */
  nextAt(index: number): number {
    return this.answerAt(index) % UNDECIDED_BIT;
  }

  /** The model says "unsure" of it. */
  undecidedAt(index: number): boolean {
    return this.answerAt(index) >= UNDECIDED_BIT;
  }

  /** What was said of it is not its label: as it was judged, or as it is now. */
  misreadAt(index: number): boolean {
    const flags = this.flagsAt(index);
    return (
      Boolean(flags & JUDGED) && (Boolean(flags & WRONG) || this.classAt(index) !== this.predictedAt(index))
    );
  }

  private answerAt(index: number): number {
    if (this.answersAt === undefined || index >= this.loaded) return 0;
    return this.view.getUint32(index * this.stride + this.answersAt);
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
