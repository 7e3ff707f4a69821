import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { bell } from './blendRows.ts';
import { createNearestJoints } from './nearestJoints.ts';
import { CHUNK, type NearestWork } from './nearestBones.ts';
import { readSoup } from '../../spatial/soup.ts';
import { stepsOf, type VoxelWork } from '../../spatial/voxels.ts';
import { nestedDissection } from '../../solve/nestedDissection.ts';
import { grid } from '../../testing/shapes.ts';
import { groupMembers, membersOf } from '../../spatial/groups.ts';
import { joinPieces } from '../../weights/pieces.ts';
import { recoverQuads } from '../../mesh/quads.ts';
import { findIslands, findNeighbours } from '../../mesh/topology.ts';
import type { Neighbours } from '../../mesh/neighbours.ts';
import { createRowBlock } from '../../weights/rowBlock.ts';
import { createRowsIn, type WeightRows } from '../../weights/rows.ts';
import { weightKernels } from '../../weights/weightKernels.ts';
import { spatialKernels } from '../../spatial/spatialKernels.ts';
import { bindKernels } from './bindKernels.ts';
import { createPlainMemory, type KernelMemory } from '../../memory/kernelMemory.ts';
import { borrowMemory } from '../../memory/memoryPool.ts';

/**
 * The plain loops are the oracle: whatever goes in, the compiled ones say the same to the bit. What the loops mean is
 * tested where they are used.
 */
async function inBoth<T>(work: (memory: KernelMemory) => T): Promise<[T, T]> {
  const loan = await borrowMemory(4 << 20);
  try {
    expect(loan.memory.compiled).toBeDefined();
    const compiled = structuredClone(work(loan.memory));
    return [compiled, work(createPlainMemory())];
  } finally {
    loan.giveBack();
  }
}

/** Numbers that are the same for one seed. */
function numbers(seed: number): () => number {
  let state = seed >>> 0;
  return () => {
    state = (Math.imul(state, 1664525) + 1013904223) >>> 0;
    return state / 2 ** 32;
  };
}

function put<T extends { set(from: ArrayLike<number>): void }>(array: T, from: ArrayLike<number>): T {
  array.set(from);
  return array;
}

const seeds = fc.integer({ min: 0, max: 1e6 });
const runs = { numRuns: 25 };

/** A crumpled grid of so many points a side, a tenth of its quads missing. */
function crumpled(memory: KernelMemory, seed: number, side = 8) {
  const random = numbers(seed);
  const flat = grid(side, side);
  const positions = put(
    memory.f32(flat.positions.length),
    flat.positions.map((x) => x + random() - 0.5),
  );
  const whole = recoverQuads(flat.triangles, flat.positions);
  const kept = Array.from({ length: whole.offsets.length - 1 }, (_, q) => q).filter(() => random() > 0.1);
  const corners = kept.flatMap((q) => [...whole.points.subarray(whole.offsets[q], whole.offsets[q + 1])]);
  const offsets = put(memory.u32(kept.length + 1), kept.map((_, i) => i * 4).concat(kept.length * 4));
  const polygons = { offsets, points: put(memory.u32(corners.length), corners) };
  const triangles = put(memory.u32(flat.triangles.length), flat.triangles);
  return { random, positions, triangles, polygons, pointCount: positions.length / 3 };
}

/** Rows of a few of six joints, some of them empty. */
function randomRows(
  memory: KernelMemory,
  pointCount: number,
  stride: number,
  random: () => number,
): WeightRows {
  const rows = createRowsIn(memory, pointCount, stride);
  for (let p = 0; p < pointCount; p++) {
    const first = Math.floor(random() * 6);
    const used = Math.floor(random() * 4);
    for (let k = 0; k < used; k++) {
      rows.joints[p * stride + k] = (first + k) % 6;
      rows.values[p * stride + k] = 1 / used;
    }
  }
  return rows;
}

function surfaceOf(memory: KernelMemory, seed: number): { neighbours: Neighbours; rows: WeightRows } {
  const { random, polygons, pointCount } = crumpled(memory, seed);
  const neighbours = findNeighbours(polygons, pointCount, memory);
  return { neighbours, rows: randomRows(memory, pointCount, 8, random) };
}

describe('the surface', () => {
  test('neighbours, islands and their points', async () => {
    await fc.assert(
      fc.asyncProperty(seeds, async (seed) => {
        const [compiled, plain] = await inBoth((memory) => {
          const { polygons, pointCount } = crumpled(memory, seed);
          const { offsets, points } = findNeighbours(polygons, pointCount, memory);
          const { count, ofPoint } = findIslands({ offsets, points }, memory);
          const groups = groupMembers(ofPoint, count, memory);
          const members = Array.from({ length: count }, (_, island) => [...membersOf(groups, island)]);
          return { offsets: [...offsets], points: [...points], count, ofPoint: [...ofPoint], members };
        });
        expect(compiled).toEqual(plain);
        expect(plain.members.flat().length).toBe(plain.ofPoint.filter((island) => island >= 0).length);
      }),
      runs,
    );
  });

  test('pieces of weight, and the points that hold some of a marked one', async () => {
    await fc.assert(
      fc.asyncProperty(seeds, async (seed) => {
        const [compiled, plain] = await inBoth((memory) => {
          const { neighbours, rows } = surfaceOf(memory, seed);
          const { pieceOf, mass, bordered, roots } = joinPieces(rows, neighbours, memory);
          const marks = memory.u8(rows.values.length);
          roots.forEach((root, i) => (marks[root] = i % 3 === 0 ? 1 : 0));
          const listed = memory.u32(rows.pointCount);
          const count = weightKernels(memory).listMarked(rows, pieceOf, marks, listed);
          const used = [...rows.values.keys()].filter((node) => rows.values[node] > 0);
          return {
            pieceOf: used.map((node) => pieceOf[node]),
            roots: [...roots],
            masses: Array.from(roots, (root) => mass[root]),
            borders: Array.from(roots, (root) => bordered[root]),
            listed: [...listed.subarray(0, count)],
          };
        });
        expect(compiled).toEqual(plain);
      }),
      runs,
    );
  });

  test('an order of elimination', async () => {
    await fc.assert(
      fc.asyncProperty(seeds, async (seed) => {
        const [compiled, plain] = await inBoth((memory) => {
          const { positions, polygons, pointCount } = crumpled(memory, seed, 14);
          const neighbours = findNeighbours(polygons, pointCount, memory);
          return [...nestedDissection(positions, neighbours, memory)];
        });
        expect(compiled).toEqual(plain);
        expect([...plain].sort((a, b) => a - b)).toEqual([...plain.keys()]);
      }),
      runs,
    );
  });

  test('moved positions and shifted indices', async () => {
    const [compiled, plain] = await inBoth((memory) => {
      const { positions, triangles, random } = crumpled(memory, 7);
      spatialKernels(memory).movePositions(
        positions,
        put(memory.f32(16), Float32Array.from({ length: 16 }, random)),
      );
      spatialKernels(memory).shiftIndices(triangles, 1234);
      return { positions: [...positions], triangles: [...triangles] };
    });
    expect(compiled).toEqual(plain);
  });
});

/** A soup in a grid of cells; some corners lie on cells' faces and on rows' lines. */
function voxelWork(memory: KernelMemory, seed: number): VoxelWork {
  const { positions, triangles, random } = crumpled(memory, seed, 4);
  for (let i = 0; i < positions.length; i++)
    if (random() < 0.3) positions[i] = Math.round(positions[i] * 2) / 2;
  const counts = [12, 10, 8] as const;
  const cellCount = counts[0] * counts[1] * counts[2];
  const steps = stepsOf(counts);
  const back = [-1, -steps[1], -steps[2], ...Array.from({ length: 10 }, (_, k) => -steps[2] - k)];
  return {
    positions,
    triangles,
    counts,
    origin: [-2, -2, -2],
    size: 0.75,
    places: memory.f32((positions.length / 3) * 4),
    windings: [memory.i16(cellCount), memory.i16(cellCount), memory.i16(cellCount)],
    votes: memory.u8(cellCount),
    solid: memory.u8(cellCount),
    depth: memory.f32(cellCount),
    backSteps: put(memory.i32(13), back),
    backLengths: put(
      memory.f64(13),
      back.map((_, k) => 0.5 + k / 7),
    ),
  };
}

describe('the solid', () => {
  test('box, volume and area', async () => {
    await fc.assert(
      fc.asyncProperty(seeds, async (seed) => {
        const [compiled, plain] = await inBoth((memory) => {
          const { positions, triangles } = crumpled(memory, seed);
          return readSoup(positions, triangles, memory);
        });
        expect(compiled).toEqual(plain);
      }),
      runs,
    );
  });

  test('crossings, shell, votes and depth', async () => {
    await fc.assert(
      fc.asyncProperty(seeds, async (seed) => {
        const [compiled, plain] = await inBoth((memory) => {
          const work = voxelWork(memory, seed);
          spatialKernels(memory).placeInCells(work);
          spatialKernels(memory).crossTriangles(work);
          for (let axis = 0; axis < 3; axis++) spatialKernels(memory).castVotes(work, axis);
          spatialKernels(memory).countVotes(work);
          spatialKernels(memory).measureDepth(work);
          const { windings, votes, solid, depth } = work;
          return {
            windings: windings.map((winding) => [...winding]),
            votes: [...votes],
            solid: [...solid],
            depth: [...depth],
          };
        });
        expect(compiled).toEqual(plain);
        expect(plain.solid.some((cell) => cell > 0)).toBe(true);
      }),
      runs,
    );
  });
});

const BONES = 9;
const JOINTS = 6;

function nearestWork(memory: KernelMemory, seed: number, pointCount = 150): NearestWork {
  const random = numbers(seed);
  const some = (count: number): Float32Array => Float32Array.from({ length: count }, random);
  const ends = put(memory.f32(BONES * 6), some(BONES * 6));
  // One bone of no length.
  ends.copyWithin(3, 0, 3);
  return {
    members: put(
      memory.u32(pointCount),
      Uint32Array.from({ length: pointCount }, (_, p) => pointCount - 1 - p),
    ),
    positions: put(memory.f32(pointCount * 3), some(pointCount * 3)),
    kept: put(memory.i32(BONES), [8, 1, 2, 3, 0, 5, 6, 7, 4]),
    bones: {
      count: BONES,
      joints: put(
        memory.u16(BONES),
        Uint16Array.from({ length: BONES }, (_, b) => b % JOINTS),
      ),
      ends,
      factors: put(
        memory.f32(BONES * 9),
        some(BONES * 9).map((x) => 1 + x),
      ),
    },
    far: put(
      memory.f64(BONES),
      Float64Array.from({ length: BONES }, () => 1 + random()),
    ),
    near: put(
      memory.u8(JOINTS * JOINTS),
      Uint8Array.from({ length: JOINTS * JOINTS }, () => (random() < 0.7 ? 1 : 0)),
    ),
    jointCount: JOINTS,
    nearest: createNearestJoints(pointCount, 4, memory),
    ranges: put(
      memory.f64(BONES * 2),
      Float64Array.from({ length: BONES * 2 }, (_, i) => 1 + (i % 2)),
    ),
    lower: memory.f64(BONES),
    lengths: memory.f32(BONES * CHUNK),
    distances: memory.f32(BONES * CHUNK),
  };
}

describe('from bones to rows', () => {
  test('the nearest bones, weighed by part, blended', async () => {
    await fc.assert(
      fc.asyncProperty(seeds, async (seed) => {
        const [compiled, plain] = await inBoth((memory) => {
          const work = nearestWork(memory, seed);
          bindKernels(memory).nearestBones(work, 0, 150, BONES);
          const { joints, distances, radii } = work.nearest;
          const first = { joints: [...joints], distances: [...distances], radii: [...radii] };
          bindKernels(memory).weighSlots(
            work.nearest,
            20,
            100,
            put(memory.f64(JOINTS), [1, 3, Infinity, 1, 1, 1]),
          );
          const weighed = { joints: [...joints], distances: [...distances] };
          const rows = createRowsIn(memory, 150, 8);
          const chains = {
            ofJoint: put(memory.i32(JOINTS), [-1, 0, 0, 0, 1, 1]),
            lengths: put(memory.f32(JOINTS), [1, 0.4, 0.3, 0.5, 0.2, 0.1]),
            softness: 2,
          };
          bindKernels(memory).blendRows(work.nearest, chains, 0.4, 0.001, rows);
          return { first, weighed, joints: [...rows.joints], values: [...rows.values] };
        });
        expect(compiled).toEqual(plain);
        expect(plain.values.some((value) => value > 0 && value < 1)).toBe(true);
      }),
      runs,
    );
  });

  test('the bones that matter to a ball', async () => {
    await fc.assert(
      fc.asyncProperty(seeds, async (seed) => {
        const [compiled, plain] = await inBoth((memory) => {
          const work = nearestWork(memory, seed, 2);
          const count = bindKernels(memory).keepBones(work, 0.3, 0.4, 0.5, 0.1);
          return [...work.kept.subarray(0, count)];
        });
        expect(compiled).toEqual(plain);
        expect(plain.length).toBeGreaterThan(0);
      }),
      runs,
    );
  });

  test('points in boxes, those outside in the next', async () => {
    const [compiled, plain] = await inBoth((memory) => {
      const positions = put(memory.f32(12), [0, 0, 0, 0.9, 1.9, 2.9, -5, 9, 1, NaN, 1, Infinity]);
      const keys = memory.i32(4);
      bindKernels(memory).boxPoints(positions, { least: [0, 0, 0], size: 1, counts: [1, 2, 3] }, keys);
      return [...keys];
    });
    expect(compiled.slice(0, 3)).toEqual([0, 5, 3]);
    expect(compiled.slice(0, 3)).toEqual(plain.slice(0, 3));
    for (const key of [...compiled, ...plain]) expect(key >= 0 && key < 6).toBe(true);
  });

  test('the bell is e to the power of minus x', () => {
    for (let x = 0; x < 9.25; x += 0.01) expect(Math.abs(bell(x) - Math.exp(-x))).toBeLessThan(1e-7);
  });

  test('proposed rows under locks and limit', async () => {
    await fc.assert(
      fc.asyncProperty(seeds, fc.integer({ min: 1, max: 8 }), async (seed, limit) => {
        const [compiled, plain] = await inBoth((memory) => {
          const random = numbers(seed);
          const block = createRowBlock(memory, 8, 6);
          const copy = (to: WeightRows, from: WeightRows): void => {
            to.joints.set(from.joints);
            to.values.set(from.values);
          };
          copy(block.held, randomRows(memory, 60, 8, random));
          copy(block.src, randomRows(memory, 60, 6, random));
          weightKernels(memory).rewriteRows(
            block,
            60,
            0.3,
            limit,
            put(memory.u8(JOINTS), [0, 1, 0, 0, 1, 0]),
          );
          const { dst, status } = block;
          return { joints: [...dst.joints], values: [...dst.values], status: [...status] };
        });
        expect(compiled).toEqual(plain);
      }),
      runs,
    );
  });
});
