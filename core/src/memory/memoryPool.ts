import type { KernelMemory } from './kernelMemory.ts';
import { createResettableMemory, type ResettableMemory } from './wasmMemory.ts';

/** Kernel memory lent for one piece of work. Nothing that lies in it may be used after it is given back. */
export interface MemoryLoan {
  readonly memory: KernelMemory;
  giveBack(): void;
}

/** What is kept for the next piece of work, at most: touching fresh memory costs more than clearing used one. */
const MAX_KEPT_BYTES = 256 * 2 ** 20;
const MAX_KEPT = 3;
/** A loan may be so many times larger than what was asked for. */
const MAX_SHARE = 4;

const kept: ResettableMemory[] = [];

/** Memory with at least `byteCapacity` bytes, fresh or used before; its arrays begin as zero like all others. */
export async function borrowMemory(byteCapacity: number): Promise<MemoryLoan> {
  let best = -1;
  kept.forEach(({ capacity }, i) => {
    if (capacity < byteCapacity || capacity > MAX_SHARE * byteCapacity + 2 ** 22) return;
    if (best < 0 || capacity < kept[best].capacity) best = i;
  });
  const lent = best >= 0 ? kept.splice(best, 1)[0] : await createResettableMemory(byteCapacity);
  let isOut = true;
  return {
    memory: lent.memory,
    giveBack() {
      if (!isOut) return;
      isOut = false;
      lent.reset();
      kept.push(lent);
      let bytes = kept.reduce((sum, { capacity }) => sum + capacity, 0);
      while (kept.length > MAX_KEPT || bytes > MAX_KEPT_BYTES)
        bytes -= (kept.shift() as ResettableMemory).capacity;
    },
  };
}
