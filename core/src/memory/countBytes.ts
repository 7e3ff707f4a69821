import { createPlainMemory, type KernelMemory } from './kernelMemory.ts';

/** How arrays are aligned in kernel memory. */
export const ALIGNMENT = 16;

/**
 * The bytes that laying arrays out takes: the same code that lays them out is run against memory that only counts. Its
 * arrays are empty, so `lay` may take arrays and keep them, not write into them.
 */
export function countBytes(lay: (memory: KernelMemory) => unknown): number {
  let bytes = 0;
  const empty = createPlainMemory();
  const take =
    <T>(size: number, make: (length: number) => T) =>
    (length: number): T => {
      bytes += Math.ceil((length * size) / ALIGNMENT) * ALIGNMENT;
      return make(0);
    };
  lay({
    get bytesUsed() {
      return bytes;
    },
    compiled: undefined,
    f64: take(8, (length) => empty.f64(length)),
    f32: take(4, (length) => empty.f32(length)),
    i32: take(4, (length) => empty.i32(length)),
    i16: take(2, (length) => empty.i16(length)),
    u32: take(4, (length) => empty.u32(length)),
    u16: take(2, (length) => empty.u16(length)),
    u8: take(1, (length) => empty.u8(length)),
  });
  return bytes;
}
