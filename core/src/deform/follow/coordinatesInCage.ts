import { countBytes } from '../../memory/countBytes.ts';
import { kernelFace } from '../../memory/kernelFace.ts';
import type { KernelMemory } from '../../memory/kernelMemory.ts';
import { borrowMemory } from '../../memory/memoryPool.ts';
import { type Cage, type CageWork, layCage, MeanValueCoordinates, nearestOf } from './meanValue.ts';

/** Places that are looked at before what they have is taken out. */
const BLOCK = 32;

interface CageKernels {
  /**
   * The coordinates of places, one row each; a row that begins with no number is of a place on the cage, and has to be written
   * by {@link MeanValueCoordinates}.
   */
  write(work: CageWork, places: Float32Array, count: number, tiny: number, out: Float32Array): void;
}

const cageKernels = kernelFace<CageKernels>(
  {
    write(work, places, count, _, out) {
      const plain = new MeanValueCoordinates(work);
      const width = work.positions.length / 3;
      for (let p = 0; p < count; p++)
        plain.write(places[p * 3], places[p * 3 + 1], places[p * 3 + 2], out, p * width);
    },
  },
  (run, at) => ({
    write(work, places, count, tiny, out) {
      const { positions, triangles, edges, sides } = work;
      const room = [work.directions, work.nearness, work.sums, work.scales].map(at);
      const cage = [at(positions), positions.length / 3, at(edges), edges.length / 2];
      const faces = [at(triangles), triangles.length / 3, at(sides)];
      run.writeCoordinates(at(places), count, tiny, ...cage, ...faces, ...room, at(out));
    },
  }),
);

/**
 * Mean value coordinates of places in a closed cage; see {@link MeanValueCoordinates}.
 *
 * @param places Float32Array, 3 a place
 * @returns Float32Array, as many a place as the cage has points, summing to one
 */
export async function coordinatesInCage(cage: Cage, places: Float32Array): Promise<Float32Array> {
  const width = cage.positions.length / 3;
  const count = places.length / 3;
  const out = new Float32Array(count * width);
  const layAll = (memory: KernelMemory) => ({
    work: layCage(memory, cage),
    block: memory.f32(BLOCK * 3),
    rows: memory.f32(BLOCK * width),
  });
  const loan = await borrowMemory(countBytes(layAll));
  try {
    const { work, block, rows } = layAll(loan.memory);
    const tiny = nearestOf(cage);
    for (let from = 0; from < count; from += BLOCK) {
      const size = Math.min(BLOCK, count - from);
      block.set(places.subarray(from * 3, (from + size) * 3));
      cageKernels(loan.memory).write(work, block, size, tiny, rows);
      out.set(rows.subarray(0, size * width), from * width);
    }
  } finally {
    loan.giveBack();
  }
  writeThoseOnCage(cage, places, out);
  return out;
}

function writeThoseOnCage(cage: Cage, places: Float32Array, out: Float32Array): void {
  const plain = new MeanValueCoordinates(cage);
  const width = cage.positions.length / 3;
  for (let p = 0; p * 3 < places.length; p++)
    if (Number.isNaN(out[p * width]))
      plain.write(places[p * 3], places[p * 3 + 1], places[p * 3 + 2], out, p * width);
}
