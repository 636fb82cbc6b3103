/** A network, computed by the kernels: its values lie in their memory, each where one that is no longer read lay. */
import { KERNELS } from "./kernels.made";

/** Height, width and channels; plain features are a map of one pixel. */
type Shape = readonly [number, number, number];

interface Common {
  /** Places of the values that it reads; 0 is the picture. */
  readonly from: readonly number[];
  /** The place of what it makes. */
  readonly to: number;
  readonly shape: Shape;
}

/** Zeros above, below, left and right. */
type Pads = readonly [number, number, number, number];

interface Weighted {
  /** Where in the weights they begin, in numbers. */
  readonly weights: number;
  readonly bias: number;
  readonly side: number;
  readonly stride: number;
  readonly dilation: number;
  readonly pads: Pads;
  readonly slope: number;
}

export type Step = Common &
  (
    | ({ readonly kind: "conv"; readonly groups: number } & Weighted)
    | ({ readonly kind: "depthwise" } & Weighted)
    | {
        readonly kind: "pool";
        readonly side: number;
        readonly stride: number;
        readonly pads: Pads;
        readonly mean: boolean;
      }
    | { readonly kind: "norm"; readonly times: number; readonly plus: number; readonly slope: number }
    | { readonly kind: "bend"; readonly by: number; readonly how: keyof typeof BENDS }
    | { readonly kind: "pad"; readonly pads: Pads }
    | { readonly kind: "log"; readonly least: number }
    | { readonly kind: "pass" | "add" | "multiply" | "beside" | "softmax" }
  );

/** Of the kernel `activate`. */
const BENDS = {
  leaky: 0,
  clipped: 1,
  silu: 2,
  tanh: 3,
  sigmoid: 4,
  hard_sigmoid: 5,
  hard_swish: 6,
} as const;

interface Kernels {
  readonly memory: WebAssembly.Memory;
  heapStart(): number;
  pad(x: number, h: number, w: number, c: number, y: number, ...pads: number[]): void;
  conv(...values: number[]): void;
  depthwise(...values: number[]): void;
  pool(...values: number[]): void;
  add(y: number, x: number, count: number): void;
  multiply(y: number, x: number, count: number, every: number): void;
  norm(y: number, count: number, c: number, times: number, plus: number, slope: number): void;
  beside(x: number, pixels: number, c: number, y: number, first: number, all: number): void;
  activate(y: number, count: number, kind: number, by: number): void;
}

const FLOAT = 4;
const EIGHT = 8;
const PAGE = 65536;
const NO_PADS: Pads = [0, 0, 0, 0];

const sizeOf = ([height, width, channels]: Shape) => height * width * channels;

/** Memory from the kernels' first free address on. */
class Memory {
  private next: number;

  constructor(private readonly kernels: Kernels) {
    this.next = kernels.heapStart();
  }

  /** An address of so many numbers, on a boundary of vectors. */
  take(count: number): number {
    const address = Math.ceil(this.next / 16) * 16;
    // A vector may be read that begins at the last number.
    this.next = address + (count + 4) * FLOAT;
    const missing = this.next - this.kernels.memory.buffer.byteLength;
    if (missing > 0) this.kernels.memory.grow(Math.ceil(missing / PAGE));
    return address;
  }

  put(values: Float32Array): number {
    const address = this.take(values.length);
    this.at(address, values.length).set(values);
    return address;
  }

  /** Numbers as they lie there now; growing takes them away. */
  at(address: number, count: number): Float32Array {
    return new Float32Array(this.kernels.memory.buffer, address, count);
  }
}

interface Prepared {
  readonly step: Step;
  /** Addresses of what it reads, of what it makes, of its padded input, and of its numbers. */
  readonly x: readonly number[];
  readonly y: number;
  readonly padded: number;
  readonly numbers: readonly [number, number];
}

export class Network {
  private readonly kernels: Kernels;
  private readonly memory: Memory;
  private readonly prepared: Prepared[] = [];
  private readonly shapes = new Map<number, Shape>();
  private readonly input: number;

  constructor(steps: readonly Step[], input: Shape, weights: Float32Array) {
    const binary = Uint8Array.from(atob(KERNELS), (sign) => sign.charCodeAt(0));
    this.kernels = new WebAssembly.Instance(new WebAssembly.Module(binary)).exports as unknown as Kernels;
    this.memory = new Memory(this.kernels);
    this.shapes.set(0, input);
    for (const step of steps) this.shapes.set(step.to, step.shape);
    const numbers = steps.map((step) => this.keep(step, weights));
    const rooms = new Rooms(this.memory, steps);
    this.input = rooms.place(0, sizeOf(input));
    steps.forEach((step, turn) => {
      const [first = 0] = step.from;
      const pads = "pads" in step && step.kind !== "pool" ? step.pads : NO_PADS;
      const padded = pads.some(Boolean) && step.kind !== "pad" ? rooms.lend(this.paddedSize(first, pads)) : 0;
      const y = rooms.place(step.to, sizeOf(step.shape));
      const x = step.from.map((place) => rooms.of(place));
      this.prepared.push({ step, x, y, padded, numbers: numbers[turn] ?? [0, 0] });
      rooms.leave(turn);
    });
  }

  /** What the last step makes of a picture (height, width, channels), channels last. */
  run(values: Float32Array): Float32Array {
    this.memory.at(this.input, values.length).set(values);
    for (const one of this.prepared) this.compute(one);
    const last = this.prepared[this.prepared.length - 1];
    if (!last) return values;
    return this.memory.at(last.y, sizeOf(last.step.shape)).slice();
  }

  private shape(place: number): Shape {
    return this.shapes.get(place) ?? [1, 1, 1];
  }

  private paddedSize(place: number, [top, bottom, left, right]: Pads): number {
    const [height, width, channels] = this.shape(place);
    return (height + top + bottom) * (width + left + right) * channels;
  }

  /** A step's numbers in memory, as its kernel wants them. */
  private keep(step: Step, weights: Float32Array): readonly [number, number] {
    const channels = step.shape[2];
    const part = (from: number, count: number) => weights.subarray(from, from + count);
    if (step.kind === "norm") {
      return [this.memory.put(part(step.times, channels)), this.memory.put(part(step.plus, channels))];
    }
    if (step.kind === "depthwise") {
      const count = step.side ** 2 * channels;
      return [this.memory.put(part(step.weights, count)), this.memory.put(part(step.bias, channels))];
    }
    if (step.kind !== "conv") return [0, 0];
    const groups = step.groups;
    const taps = (step.side ** 2 * this.shape(step.from[0] ?? 0)[2]) / groups;
    return [
      this.memory.put(inBlocks(part(step.weights, taps * channels), taps, channels, groups)),
      this.memory.put(inBlocks(part(step.bias, channels), 1, channels, groups)),
    ];
  }

  private compute({ step, x, y, padded, numbers }: Prepared): void {
    const { kernels } = this;
    const [from = 0] = x;
    const [height, width, channels] = this.shape(step.from[0] ?? 0);
    const [high, wide, made] = step.shape;
    const count = sizeOf(step.shape);
    switch (step.kind) {
      case "conv":
      case "depthwise": {
        const [top, bottom, left, right] = step.pads;
        if (padded) kernels.pad(from, height, width, channels, padded, top, bottom, left, right);
        const source = [padded || from, left + width + right, channels] as const;
        const window = [step.side, step.stride, step.dilation] as const;
        if (step.kind === "conv") {
          kernels.conv(...source, y, high, wide, made, ...numbers, ...window, step.groups, step.slope);
        } else kernels.depthwise(...source, y, high, wide, ...numbers, ...window, step.slope);
        return;
      }
      case "pool": {
        const [top, , left] = step.pads;
        const source = [from, height, width, channels] as const;
        kernels.pool(...source, y, high, wide, step.side, step.stride, top, left, Number(step.mean));
        return;
      }
      case "pad":
        kernels.pad(from, height, width, channels, y, ...step.pads);
        return;
      case "beside": {
        let first = 0;
        step.from.forEach((place, turn) => {
          const own = this.shape(place)[2];
          kernels.beside(x[turn] ?? 0, high * wide, own, y, first, made);
          first += own;
        });
        return;
      }
      default:
        this.copy(from, y, count);
        this.inPlace(step, x, y, count, numbers);
    }
  }

  /** Steps that change their first input where it was laid. */
  private inPlace(
    step: Step,
    x: readonly number[],
    y: number,
    count: number,
    numbers: readonly [number, number],
  ) {
    const { kernels } = this;
    if (step.kind === "norm") kernels.norm(y, count, step.shape[2], ...numbers, step.slope);
    else if (step.kind === "bend") kernels.activate(y, count, BENDS[step.how], step.by);
    else if (step.kind === "add") for (const other of x.slice(1)) kernels.add(y, other, count);
    else if (step.kind === "multiply") {
      kernels.multiply(y, x[1] ?? 0, count, sizeOf(this.shape(step.from[1] ?? 0)));
    } else if (step.kind === "softmax") toShares(this.memory.at(y, count), step.shape[2]);
    else if (step.kind === "log") toLogs(this.memory.at(y, count), step.least);
  }

  private copy(from: number, to: number, count: number): void {
    new Uint8Array(this.kernels.memory.buffer).copyWithin(to, from, from + count * FLOAT);
  }
}

/** Of each pixel shares of one over its channels, where the values lie. */
function toShares(values: Float32Array, channels: number): void {
  for (let first = 0; first < values.length; first += channels) {
    const pixel = values.subarray(first, first + channels);
    const most = Math.max(...pixel);
    let sum = 0;
    pixel.forEach((value, n) => {
      pixel[n] = Math.exp(value - most);
      sum += pixel[n] ?? 0;
    });
    pixel.forEach((value, n) => {
      pixel[n] = value / sum;
    });
  }
}

/** Their logarithms, of what is below the least as of that. */
function toLogs(values: Float32Array, least: number): void {
  values.forEach((value, n) => {
    values[n] = Math.log(Math.max(value, least));
  });
}

/** Weights (…, channels out) in blocks of eight channels out, group by group, zeros where there are fewer. */
function inBlocks(values: Float32Array, taps: number, channels: number, groups: number): Float32Array {
  const made = channels / groups;
  const blocks = Math.ceil(made / EIGHT);
  const packed = new Float32Array(groups * blocks * taps * EIGHT);
  for (let tap = 0; tap < taps; tap++) {
    for (let channel = 0; channel < channels; channel++) {
      const group = Math.floor(channel / made);
      const own = channel % made;
      const block = group * blocks + Math.floor(own / EIGHT);
      packed[(block * taps + tap) * EIGHT + (own % EIGHT)] = values[tap * channels + channel] ?? 0;
    }
  }
  return packed;
}

interface Room {
  readonly address: number;
  readonly count: number;
}

/** Hands out room for values while they are read, and takes it back. */
class Rooms {
  private readonly free: Room[] = [];
  private readonly held = new Map<number, Room>();
  private readonly lastRead = new Map<number, number>();
  private lent: Room[] = [];

  constructor(
    private readonly memory: Memory,
    steps: readonly Step[],
  ) {
    steps.forEach((step, turn) => {
      for (const place of step.from) this.lastRead.set(place, turn);
    });
  }

  of(place: number): number {
    return this.held.get(place)?.address ?? 0;
  }

  place(place: number, count: number): number {
    const room = this.take(count);
    this.held.set(place, room);
    return room.address;
  }

  /** Room for this step alone. */
  lend(count: number): number {
    const room = this.take(count);
    this.lent.push(room);
    return room.address;
  }

  /** Frees what is not read after a step. */
  leave(turn: number): void {
    this.free.push(...this.lent);
    this.lent = [];
    for (const [place, room] of this.held) {
      if (this.lastRead.get(place) !== turn) continue;
      this.free.push(room);
      this.held.delete(place);
    }
  }

  private take(count: number): Room {
    const fits = this.free
      .filter((room) => room.count >= count)
      .sort((one, other) => one.count - other.count);
    const [best] = fits;
    if (!best) return { address: this.memory.take(count), count };
    this.free.splice(this.free.indexOf(best), 1);
    return best;
  }
}
