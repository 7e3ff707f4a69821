/**
 * The memory that kernels work on.
 *
 * Arrays passed to a kernel must come from the same memory (the compiled kernels see nothing else; the plain ones take
 * any). Memory is handed out once, zeroed, and freed as a whole.
 */
export interface KernelMemory {
  f64(length: number): Float64Array;
  f32(length: number): Float32Array;
  i32(length: number): Int32Array;
  i16(length: number): Int16Array;
  u32(length: number): Uint32Array;
  u16(length: number): Uint16Array;
  u8(length: number): Uint8Array;
  /** Bytes handed out so far. */
  readonly bytesUsed: number;
  /** The compiled kernels that see this memory; undefined where the plain ones work on it. */
  readonly compiled: CompiledKernels | undefined;
}

/** The compiled functions of core/kernels by name. All take addresses and numbers. */
export type KernelFunctions = Readonly<Record<string, (...args: number[]) => number>>;

/** The address of an array in the kernels' memory. @throws CoreError argument-invalid for an array of elsewhere */
export type AddressOf = (array: ArrayBufferView) => number;

export interface CompiledKernels {
  readonly run: KernelFunctions;
  readonly at: AddressOf;
  /** Address of room for one f64 a joint, the kernels' own. */
  readonly accumulator: number;
}

/** Ordinary memory: the plain kernels work on it, and it need not be measured before. */
export function createPlainMemory(): KernelMemory {
  let bytesUsed = 0;
  const count = <T extends ArrayBufferView>(array: T): T => {
    bytesUsed += array.byteLength;
    return array;
  };
  return {
    get bytesUsed() {
      return bytesUsed;
    },
    compiled: undefined,
    f64: (length) => count(new Float64Array(length)),
    f32: (length) => count(new Float32Array(length)),
    i32: (length) => count(new Int32Array(length)),
    i16: (length) => count(new Int16Array(length)),
    u32: (length) => count(new Uint32Array(length)),
    u16: (length) => count(new Uint16Array(length)),
    u8: (length) => count(new Uint8Array(length)),
  };
}

/** Ordinary memory for whoever brings none. */
export const PLAIN_MEMORY: KernelMemory = createPlainMemory();
