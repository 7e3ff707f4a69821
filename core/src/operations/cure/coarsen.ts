import type { Neighbours } from '../../mesh/neighbours.ts';

/** A surface seen from farther away: some of its points, each standing for those about it. */
export interface CoarseSurface {
  /** Numbers of the points that stand for others, in the order of the coarse surface. */
  readonly seeds: Uint32Array;
  /** By coarse point: which ones its own points touch. */
  readonly neighbours: Neighbours;
  /** By point: the coarse point that stands for it; -1 beyond what was looked at. */
  readonly standsFor: Int32Array;
}

const NONE = -1;

/**
 * Gathers points in patches: a point that no patch holds begins one, and takes what lies within some rings of it.
 * @param points those to gather; others are left out
 * @param rings  how far a patch reaches
 */
export function coarsen(
  { offsets, points: next }: Neighbours,
  pointCount: number,
  points: Uint32Array,
  rings: number,
): CoarseSurface {
  const standsFor = new Int32Array(pointCount).fill(NONE);
  const isIn = new Uint8Array(pointCount);
  for (const p of points) isIn[p] = 1;
  const seeds: number[] = [];
  const depth = new Uint8Array(pointCount);
  for (const p of points) {
    if (standsFor[p] !== NONE) continue;
    const own = seeds.push(p) - 1;
    standsFor[p] = own;
    depth[p] = 0;
    const open = [p];
    for (let at = 0; at < open.length; at++) {
      if (depth[open[at]] === rings) continue;
      for (let n = offsets[open[at]]; n < offsets[open[at] + 1]; n++) {
        const q = next[n];
        if (isIn[q] === 0 || standsFor[q] !== NONE) continue;
        standsFor[q] = own;
        depth[q] = depth[open[at]] + 1;
        open.push(q);
      }
    }
  }
  return {
    seeds: new Uint32Array(seeds),
    standsFor,
    neighbours: touching({ offsets, points: next }, points, standsFor, seeds.length),
  };
}

function touching(
  { offsets, points: next }: Neighbours,
  points: Uint32Array,
  standsFor: Int32Array,
  count: number,
): Neighbours {
  const about = Array.from({ length: count }, () => new Set<number>());
  for (const p of points)
    for (let n = offsets[p]; n < offsets[p + 1]; n++) {
      const [a, b] = [standsFor[p], standsFor[next[n]]];
      if (b !== NONE && a !== b) about[a].add(b);
    }
  const starts = new Uint32Array(count + 1);
  about.forEach((own, i) => {
    starts[i + 1] = starts[i] + own.size;
  });
  return {
    offsets: starts,
    points: Uint32Array.from(about.flatMap((own) => [...own].sort((a, b) => a - b))),
  };
}

/** Points of a list, and those within some rings about them; rising. */
export function withRings(
  { offsets, points: next }: Neighbours,
  pointCount: number,
  points: Uint32Array,
  rings: number,
): Uint32Array {
  const isIn = new Uint8Array(pointCount);
  let edge = [...points];
  for (const p of points) isIn[p] = 1;
  for (let ring = 0; ring < rings; ring++) {
    const found: number[] = [];
    for (const p of edge)
      for (let n = offsets[p]; n < offsets[p + 1]; n++) {
        if (isIn[next[n]] !== 0) continue;
        isIn[next[n]] = 1;
        found.push(next[n]);
      }
    edge = found;
  }
  const all: number[] = [];
  for (let p = 0; p < pointCount; p++) if (isIn[p] !== 0) all.push(p);
  return new Uint32Array(all);
}
