import type { Kernels } from './kernels.ts';
import { createResettableKernels, type ResettableKernels } from './wasmKernels.ts';

/** Kernels lent for one piece of work. Nothing that lives in their memory may be used after it is given back. */
export interface KernelLoan {
  readonly kernels: Kernels;
  giveBack(): void;
}

/** What is kept for the next piece of work, at most: touching fresh memory costs more than clearing used one. */
const MOST_KEPT_BYTES = 256 * 2 ** 20;
const MOST_KEPT = 3;
/** A loan may be so many times larger than what was asked for. */
const LARGEST_SHARE = 4;

const kept: ResettableKernels[] = [];

/** Kernels with at least `byteCapacity` bytes, fresh or used before; their arrays begin as zero like all others. */
export async function borrowKernels(byteCapacity: number): Promise<KernelLoan> {
  let best = -1;
  kept.forEach(({ capacity }, i) => {
    if (capacity < byteCapacity || capacity > LARGEST_SHARE * byteCapacity + 2 ** 22) return;
    if (best < 0 || capacity < kept[best].capacity) best = i;
  });
  const lent = best >= 0 ? kept.splice(best, 1)[0] : await createResettableKernels(byteCapacity);
  let isOut = true;
  return {
    kernels: lent.kernels,
    giveBack() {
      if (!isOut) return;
      isOut = false;
      lent.reset();
      kept.push(lent);
      let bytes = kept.reduce((sum, { capacity }) => sum + capacity, 0);
      while (kept.length > MOST_KEPT || bytes > MOST_KEPT_BYTES)
        bytes -= (kept.shift() as ResettableKernels).capacity;
    },
  };
}
