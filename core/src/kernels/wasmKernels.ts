import type { SkinArrays } from '../deform/skin.ts';
import type { DualPalette } from '../deform/skinDual.ts';
import { CoreError } from '../errors.ts';
import { BATCH_WIDTH } from '../weights/rowBatch.ts';
import type { WeightRows } from '../weights/rows.ts';
import { wasmBindKernels, type BindExports } from './bindKernels.ts';
import { kernelBytes } from './kernelBytes.ts';
import { createPlainKernels, type Kernels } from './kernels.ts';

/** The part of the WebAssembly standard that core uses; its types otherwise come with the DOM's. */
interface WasmMemory {
  readonly buffer: ArrayBuffer;
}
declare const WebAssembly: {
  Memory: new (descriptor: { initial: number; maximum?: number }) => WasmMemory;
  compile(bytes: Uint8Array): Promise<object>;
  instantiate(module: object, imports: object): Promise<{ exports: Record<string, unknown> }>;
};

type NumericFunction = (...args: number[]) => void;
interface KernelExports extends BindExports {
  skinRange: NumericFunction;
  skinList: NumericFunction;
  skinSlots: NumericFunction;
  skinDualRange: NumericFunction;
  skinDualSlots: NumericFunction;
  strainEdges: NumericFunction;
  strainFaces: NumericFunction;
  strainPoints: NumericFunction;
  setWeights: NumericFunction;
  normalizeBatch: NumericFunction;
  readColumn: NumericFunction;
  smoothTargets: NumericFunction;
  smoothRows: NumericFunction;
  ldlColumns: (...args: number[]) => number;
  ldlSolve: NumericFunction;
}

const PAGE_BYTES = 65536;
/** Static data of the kernels lies below this address. */
const HEAP_BASE = PAGE_BYTES;
const SLACK_BYTES = 4 * PAGE_BYTES;
const MOST_JOINTS = 65536;

let compiled: Promise<object> | undefined;

/**
 * Kernels with `byteCapacity` bytes of memory to hand out. The memory never grows, because growing would detach every
 * array that was handed out: ask for what the character needs. Falls back to the plain kernels where WebAssembly SIMD
 * is missing.
 */
export async function createKernels(byteCapacity: number): Promise<Kernels> {
  return (await createResettableKernels(byteCapacity)).kernels;
}

/** Kernels whose memory can be handed out anew; {@link borrowKernels} looks after them. */
export interface ResettableKernels {
  readonly kernels: Kernels;
  /** Bytes that can be handed out. */
  readonly capacity: number;
  /** Takes all arrays back: nothing may use them any more. */
  reset(): void;
}

export async function createResettableKernels(byteCapacity: number): Promise<ResettableKernels> {
  try {
    compiled ??= WebAssembly.compile(decodeBase64(kernelBytes));
    const module = await compiled;
    // One accumulator (f64 a joint) is the kernels' own.
    const total = HEAP_BASE + byteCapacity + MOST_JOINTS * 8 + SLACK_BYTES;
    const memory = new WebAssembly.Memory({ initial: Math.ceil(total / PAGE_BYTES) });
    const imports = { env: { memory, abort: () => undefined } };
    const { exports } = await WebAssembly.instantiate(module, imports);
    return wrap(memory.buffer, exports as unknown as KernelExports);
  } catch {
    return { kernels: createPlainKernels(), capacity: byteCapacity, reset: () => undefined };
  }
}

function wrap(buffer: ArrayBuffer, run: KernelExports): ResettableKernels {
  let next = HEAP_BASE;
  /** Below this, memory was in use before and has to be cleared. */
  let dirty = HEAP_BASE;
  const take = (bytes: number): number => {
    const at = next;
    next += (bytes + 15) & ~15;
    if (next > buffer.byteLength) {
      throw new CoreError(
        'argument-invalid',
        `The kernels have no ${bytes} bytes left; ask for more when making them.`,
        {
          bytes,
        },
      );
    }
    if (at < dirty) new Uint8Array(buffer, at, Math.min(dirty, next) - at).fill(0);
    return at;
  };
  const at = (array: ArrayBufferView): number => {
    if (array.buffer !== buffer) {
      throw new CoreError('argument-invalid', 'An array given to a kernel was not made by that kernel.');
    }
    return array.byteOffset;
  };
  const accumulator = take(MOST_JOINTS * 8);
  const first = next;
  const f32 = (length: number) => new Float32Array(buffer, take(length * 4), length);
  const u16 = (length: number) => new Uint16Array(buffer, take(length * 2), length);
  const rowArgs = (rows: WeightRows): [number, number, number] => [
    at(rows.joints),
    at(rows.values),
    rows.stride,
  ];
  const unweighted = (palette: Float32Array) => at(palette) + (palette.length - 16) * 4;

  const dualArgs = (a: SkinArrays, dual: DualPalette): number[] => [
    at(a.rest),
    at(a.restNormals),
    ...rowArgs(a.rows),
    at(dual.quaternions),
    at(dual.signs),
    dual.jointCount,
    dual.stretched ? at(dual.scale) : 0,
    at(a.positions),
    at(a.normals),
  ];

  const kernels: Kernels = {
    kind: 'wasm',
    get bytesUsed() {
      return next - HEAP_BASE;
    },
    f64: (length) => new Float64Array(buffer, take(length * 8), length),
    f32,
    i32: (length) => new Int32Array(buffer, take(length * 4), length),
    i16: (length) => new Int16Array(buffer, take(length * 2), length),
    u16,
    u32: (length) => new Uint32Array(buffer, take(length * 4), length),
    u8: (length) => new Uint8Array(buffer, take(length), length),
    rows: (pointCount, stride) => ({
      pointCount,
      stride,
      joints: u16(pointCount * stride),
      values: f32(pointCount * stride),
    }),
    skinRange(a, from, to) {
      run.skinRange(
        from,
        to,
        at(a.rest),
        at(a.restNormals),
        ...rowArgs(a.rows),
        at(a.palette),
        unweighted(a.palette),
        at(a.positions),
        at(a.normals),
      );
    },
    skinList(a, list) {
      run.skinList(
        at(list.points),
        list.count,
        at(a.rest),
        at(a.restNormals),
        ...rowArgs(a.rows),
        at(a.palette),
        unweighted(a.palette),
        at(a.positions),
        at(a.normals),
      );
    },
    skinSlots(a, list, slots) {
      run.skinSlots(
        at(list.points),
        at(slots),
        list.count,
        at(a.rest),
        at(a.restNormals),
        ...rowArgs(a.rows),
        at(a.palette),
        unweighted(a.palette),
        at(a.positions),
        at(a.normals),
      );
    },
    skinDualRange(a, dual, from, to) {
      run.skinDualRange(from, to, ...dualArgs(a, dual));
    },
    skinDualSlots(a, dual, list, slots) {
      run.skinDualSlots(at(list.points), at(slots), list.count, ...dualArgs(a, dual));
    },
    strainEdges(edges, rest, positions, out) {
      run.strainEdges(at(edges), at(rest), rest.length, at(positions), at(out));
    },
    strainFaces(triangles, rest, positions, normals, out) {
      run.strainFaces(at(triangles), at(rest), rest.length, at(positions), at(normals), at(out));
    },
    strainPoints(edges, strains, out) {
      run.strainPoints(at(edges), at(strains), strains.length, at(out));
    },
    setWeights(rows, list, targets, joint, limit, locks, status) {
      run.setWeights(
        at(list.points),
        list.count,
        at(targets),
        joint,
        limit,
        at(locks),
        ...rowArgs(rows),
        at(status),
      );
    },
    normalizeBatch({ joints, values, counts, limits, dst, status }, count, fixed, locks) {
      run.normalizeBatch(
        count,
        at(joints),
        at(values),
        at(counts),
        BATCH_WIDTH,
        fixed,
        at(limits),
        at(locks),
        ...rowArgs(dst),
        at(status),
      );
    },
    readColumn(rows, joint, out) {
      run.readColumn(0, rows.pointCount, joint, ...rowArgs(rows), at(out));
    },
    smoothTargets(list, column, neighbours, amounts, targets) {
      run.smoothTargets(
        at(list.points),
        list.count,
        at(column),
        at(neighbours.offsets),
        at(neighbours.points),
        at(amounts),
        at(targets),
      );
    },
    smoothRows(src, dst, list, neighbours, amounts, limit, locks, status) {
      run.smoothRows(
        at(list.points),
        list.count,
        at(src.joints),
        at(src.values),
        ...rowArgs(dst),
        at(neighbours.offsets),
        at(neighbours.points),
        at(amounts),
        limit,
        at(locks),
        accumulator,
        at(status),
      );
    },
    ldlColumns(factor, work, from, to) {
      return run.ldlColumns(
        factor.size,
        from,
        to,
        at(factor.starts),
        at(factor.rows),
        at(factor.values),
        at(factor.diagonal),
        at(work.starts),
        at(work.rows),
        at(work.values),
        at(work.parents),
        at(work.ends),
        at(work.marks),
        at(work.pattern),
        at(work.sums),
      );
    },
    ldlSolve(factor, sides, quiet, tiny) {
      run.ldlSolve(
        factor.size,
        at(factor.starts),
        at(factor.rows),
        at(factor.values),
        at(factor.diagonal),
        at(sides),
        at(quiet),
        tiny,
      );
    },
    ...wasmBindKernels(run, at),
  };
  return {
    kernels,
    capacity: buffer.byteLength - first,
    reset() {
      dirty = Math.max(dirty, next);
      next = first;
    },
  };
}

function decodeBase64(text: string): Uint8Array {
  const alphabet = 'ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789+/';
  const clean = text.replace(/=+$/, '');
  const bytes = new Uint8Array(Math.floor((clean.length * 3) / 4));
  let bits = 0;
  let held = 0;
  let out = 0;
  for (const letter of clean) {
    bits = (bits << 6) | alphabet.indexOf(letter);
    held += 6;
    if (held >= 8) {
      held -= 8;
      bytes[out++] = (bits >> held) & 255;
    }
  }
  return bytes;
}
