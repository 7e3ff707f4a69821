import type { Neighbours } from './neighbours.ts';

/** Points of a part as a mask: Uint8Array, pointCount, 1 where a point is meant. */
export type PointMask = Uint8Array;

/** The points of a mask, rising. */
export function listMask(mask: PointMask): Uint32Array {
  let count = 0;
  for (let p = 0; p < mask.length; p++) count += mask[p] !== 0 ? 1 : 0;
  const points = new Uint32Array(count);
  count = 0;
  for (let p = 0; p < mask.length; p++) if (mask[p] !== 0) points[count++] = p;
  return points;
}

export function maskOf(points: Iterable<number>, pointCount: number): PointMask {
  const mask = new Uint8Array(pointCount);
  for (const p of points) mask[p] = 1;
  return mask;
}

export function invertMask(mask: PointMask): PointMask {
  return mask.map((held) => (held ? 0 : 1));
}

/** The mask with all points that share an edge with it. */
export function growMask({ offsets, points }: Neighbours, mask: PointMask): PointMask {
  const grown = mask.slice();
  for (let p = 0; p < mask.length; p++) {
    if (!mask[p]) continue;
    for (let e = offsets[p]; e < offsets[p + 1]; e++) grown[points[e]] = 1;
  }
  return grown;
}

/** The mask without the points that share an edge with what is outside. Open borders of the surface do not count. */
export function shrinkMask({ offsets, points }: Neighbours, mask: PointMask): PointMask {
  const shrunk = mask.slice();
  for (let p = 0; p < mask.length; p++) {
    if (mask[p]) continue;
    for (let e = offsets[p]; e < offsets[p + 1]; e++) shrunk[points[e]] = 0;
  }
  return shrunk;
}

/** All of every island that the mask touches. */
export function islandsOfMask({ offsets, points }: Neighbours, mask: PointMask): PointMask {
  const filled = mask.slice();
  // Points are mostly numbered as they lie: going through them to and fro fills nearly all, and in the order of memory.
  for (let sweep = 0; sweep < MAX_SWEEPS; sweep++)
    if (!sweepMask(offsets, points, filled, sweep % 2 === 0)) return filled;
  // What is left winds its way: point by point.
  const queue = new Uint32Array(mask.length);
  let count = 0;
  for (let p = 0; p < filled.length; p++) if (filled[p] !== 0) queue[count++] = p;
  for (let head = 0; head < count; head++) {
    const p = queue[head];
    for (let e = offsets[p], end = offsets[p + 1]; e < end; e++) {
      const q = points[e];
      if (filled[q] !== 0) continue;
      filled[q] = 1;
      queue[count++] = q;
    }
  }
  return filled;
}

const MAX_SWEEPS = 6;

/** Takes points beside the mask into it, in their order. @returns whether there were any */
function sweepMask(
  offsets: Uint32Array,
  points: Uint32Array,
  filled: PointMask,
  isForward: boolean,
): boolean {
  const count = filled.length;
  let isChanged = false;
  for (let i = 0; i < count; i++) {
    const p = isForward ? i : count - 1 - i;
    if (filled[p] !== 0) continue;
    for (let e = offsets[p], end = offsets[p + 1]; e < end; e++) {
      if (filled[points[e]] === 0) continue;
      filled[p] = 1;
      isChanged = true;
      break;
    }
  }
  return isChanged;
}

/**
 * Edges away from a mask, along the surface: 0 in it, 1 beside it and so on; `most` + 1 further out.
 * @returns Uint16Array, pointCount
 */
export function ringsFrom({ offsets, points }: Neighbours, mask: PointMask, most: number): Uint16Array {
  const rings = new Uint16Array(mask.length).fill(most + 1);
  let front: number[] = [];
  for (let p = 0; p < mask.length; p++) {
    if (!mask[p]) continue;
    rings[p] = 0;
    front.push(p);
  }
  for (let ring = 1; ring <= most && front.length > 0; ring++) {
    const next: number[] = [];
    for (const p of front) {
      for (let e = offsets[p]; e < offsets[p + 1]; e++) {
        if (rings[points[e]] <= most) continue;
        rings[points[e]] = ring;
        next.push(points[e]);
      }
    }
    front = next;
  }
  return rings;
}

/** Each point's amount and its neighbours' mean, half and half. @param amounts Float32Array, one a point */
export function smoothedAmounts(amounts: Float32Array, { offsets, points: next }: Neighbours): Float32Array {
  return amounts.map((own, p) => {
    const count = offsets[p + 1] - offsets[p];
    if (count === 0) return own;
    let sum = 0;
    for (let n = offsets[p]; n < offsets[p + 1]; n++) sum += amounts[next[n]];
    return (own + sum / count) / 2;
  });
}
