import { CoreError } from '../errors.ts';
import { ALIGNMENT } from './countBytes.ts';
import { decodeBase64 } from './decodeBase64.ts';
import { kernelBytes } from './kernelBytes.ts';
import { createPlainMemory, type KernelFunctions, type KernelMemory } from './kernelMemory.ts';

/** The part of the WebAssembly standard that core uses; its types otherwise come with the DOM's. */
interface WasmMemory {
  readonly buffer: ArrayBuffer;
}
declare const WebAssembly: {
  Memory: new (descriptor: { initial: number; maximum?: number }) => WasmMemory;
  compile(bytes: Uint8Array): Promise<object>;
  instantiate(module: object, imports: object): Promise<{ exports: Record<string, unknown> }>;
};

const PAGE_BYTES = 65536;
/** Static data of the kernels lies below this address. */
const HEAP_BASE = PAGE_BYTES;
const SLACK_BYTES = 4 * PAGE_BYTES;
const MAX_JOINTS = 65536;

let compiled: Promise<object> | undefined;

/**
 * Memory with `byteCapacity` bytes to hand out (see {@link countBytes}), and the compiled kernels that see it. It never
 * grows, because growing would detach every array that was handed out. Falls back to ordinary memory and the plain
 * kernels where WebAssembly SIMD is missing.
 */
export async function createKernelMemory(byteCapacity: number): Promise<KernelMemory> {
  return (await createResettableMemory(byteCapacity)).memory;
}

/** Memory that can be handed out anew; {@link borrowMemory} looks after it. */
export interface ResettableMemory {
  readonly memory: KernelMemory;
  /** Bytes that can be handed out. */
  readonly capacity: number;
  /** Takes all arrays back: nothing may use them any more. */
  reset(): void;
}

export async function createResettableMemory(byteCapacity: number): Promise<ResettableMemory> {
  try {
    compiled ??= WebAssembly.compile(decodeBase64(kernelBytes));
    const module = await compiled;
    const total = HEAP_BASE + byteCapacity + MAX_JOINTS * 8 + SLACK_BYTES;
    const memory = new WebAssembly.Memory({ initial: Math.ceil(total / PAGE_BYTES) });
    const imports = { env: { memory, abort: () => undefined } };
    const { exports } = await WebAssembly.instantiate(module, imports);
    return layOver(memory.buffer, exports as KernelFunctions);
  } catch {
    return { memory: createPlainMemory(), capacity: byteCapacity, reset: () => undefined };
  }
}

function layOver(buffer: ArrayBuffer, run: KernelFunctions): ResettableMemory {
  let next = HEAP_BASE;
  /** Below this, memory was in use before and has to be cleared. */
  let dirty = HEAP_BASE;
  const take = (bytes: number): number => {
    const at = next;
    next += Math.ceil(bytes / ALIGNMENT) * ALIGNMENT;
    if (next > buffer.byteLength) {
      throw new CoreError(
        'argument-invalid',
        `The kernels have no ${bytes} bytes left; ask for more when making their memory.`,
        { bytes },
      );
    }
    if (at < dirty) new Uint8Array(buffer, at, Math.min(dirty, next) - at).fill(0);
    return at;
  };
  const at = (array: ArrayBufferView): number => {
    if (array.buffer === buffer) return array.byteOffset;
    throw new CoreError('argument-invalid', 'An array given to a kernel does not lie in its memory.');
  };
  const accumulator = take(MAX_JOINTS * 8);
  const first = next;
  const memory: KernelMemory = {
    get bytesUsed() {
      return next - HEAP_BASE;
    },
    compiled: { run, at, accumulator },
    f64: (length) => new Float64Array(buffer, take(length * 8), length),
    f32: (length) => new Float32Array(buffer, take(length * 4), length),
    i32: (length) => new Int32Array(buffer, take(length * 4), length),
    i16: (length) => new Int16Array(buffer, take(length * 2), length),
    u32: (length) => new Uint32Array(buffer, take(length * 4), length),
    u16: (length) => new Uint16Array(buffer, take(length * 2), length),
    u8: (length) => new Uint8Array(buffer, take(length), length),
  };
  return {
    memory,
    capacity: buffer.byteLength - first,
    reset() {
      dirty = Math.max(dirty, next);
      next = first;
    },
  };
}
