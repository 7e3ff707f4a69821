import type { Polygons } from './polygons.ts';

/** A pair is refused where the two triangles fold more than this against each other; the file's own pairs may more. */
const MIN_FOLD_COSINE = Math.cos((50 * Math.PI) / 180);
const MIN_FOLD_COSINE_PAIRED = Math.cos((150 * Math.PI) / 180);
/** A corner of a found quad may be this far from a right angle (cosine of 35° from flat), unless the file pairs it. */
const MAX_CORNER_COSINE = 0.75;
const MAX_CORNER_COSINE_PAIRED = 0.985;
const MAX_CORNER_COSINE_FANNED = 0.9999;
/** What a hint of the file is worth against the shape: neighbours in the list, and a shared first corner. */
const NEXT_IN_FILE = 0.45;
const SAME_FIRST_CORNER = 1;
const SCORE_LEVELS = 512;
const NONE = 0xffffffff;

/**
 * Recovers quads from triangle pairs. Every edge with exactly two triangles is a candidate diagonal, scored by the
 * corner angles and flatness of the quad it would make; files write the two halves of a quad one after the other, which
 * counts for much. Best first, each triangle once. Triangles with two equal corners are left out.
 *
 * @param triangles Uint32Array, 3·triangleCount, point numbers, counter-clockwise
 * @param positions Float32Array, 3·pointCount
 */
export function recoverQuads(triangles: Uint32Array, positions: Float32Array): Polygons {
  const triangleCount = triangles.length / 3;
  const partner = new Uint32Array(triangleCount).fill(NONE);
  const diagonal = new Uint32Array(triangleCount);
  const pair = (a: number, b: number): void => {
    const ta = Math.floor(a / 3);
    const tb = Math.floor(b / 3);
    if (partner[ta] !== NONE || partner[tb] !== NONE) return;
    partner[ta] = tb;
    partner[tb] = ta;
    diagonal[ta] = a;
    diagonal[tb] = b;
  };
  pairFans(triangles, positions, partner, pair);
  const pairs = findDiagonals(triangles, partner, positions.length / 3);
  for (const k of bestFirst(triangles, positions, pairs)) pair(pairs[k * 2], pairs[k * 2 + 1]);
  return collectPolygons(triangles, partner, diagonal);
}

/**
 * The plain case of nearly every file, taken first because it is so quick: two triangles in a row that are a fan
 * (a b c, a c d) and not folded sharply. What else there is, is scored.
 */
function pairFans(
  triangles: Uint32Array,
  positions: Float32Array,
  partner: Uint32Array,
  pair: (a: number, b: number) => void,
): void {
  for (let t = 0; t + 5 < triangles.length; t += 3) {
    const a = triangles[t];
    const c = triangles[t + 2];
    if (partner[t / 3] !== NONE || a !== triangles[t + 3] || c !== triangles[t + 4]) continue;
    const b = triangles[t + 1];
    const d = triangles[t + 5];
    if (b === d || a === b || b === c || a === c || d === a || d === c) continue;
    if (cosineBetweenFaces(positions, c, a, b, d) > MIN_FOLD_COSINE) pair(t + 2, t + 3);
  }
}

/** Pairs of half-edges (3·triangle + side) that share an edge which no third triangle has: 2 a pair. */
function findDiagonals(triangles: Uint32Array, partner: Uint32Array, pointCount: number): Uint32Array {
  // 1. Half-edges of the triangles that are still alone, into buckets by their lower point (counting sort).
  const alone = new Uint32Array(triangles.length);
  let sides = 0;
  for (let t = 0; t < partner.length; t++) {
    if (partner[t] !== NONE) continue;
    for (let h = t * 3; h < t * 3 + 3; h++) alone[sides++] = h;
  }
  if (sides === 0) return alone.subarray(0, 0);
  const lower = (h: number): number => Math.min(triangles[h], triangles[nextSide(h)]);
  const offsets = new Uint32Array(pointCount + 1);
  for (let i = 0; i < sides; i++) offsets[lower(alone[i]) + 1]++;
  for (let p = 0; p < pointCount; p++) offsets[p + 1] += offsets[p];
  const fill = offsets.slice();
  const bucket = new Uint32Array(sides);
  for (let i = 0; i < sides; i++) bucket[fill[lower(alone[i])]++] = alone[i];
  // 2. In a bucket, the half-edges with the same higher point belong together.
  const pairs = new Uint32Array(sides);
  let count = 0;
  for (let p = 0; p < pointCount; p++) {
    for (let i = offsets[p]; i < offsets[p + 1]; i++) {
      const far = Math.max(triangles[bucket[i]], triangles[nextSide(bucket[i])]);
      if (far === p) continue;
      let match = NONE;
      let users = 1;
      for (let k = offsets[p]; k < offsets[p + 1]; k++) {
        if (k === i || Math.max(triangles[bucket[k]], triangles[nextSide(bucket[k])]) !== far) continue;
        users++;
        match = k;
      }
      if (users !== 2 || match < i) continue;
      pairs[count++] = bucket[i];
      pairs[count++] = bucket[match];
    }
  }
  return pairs.slice(0, count);
}

function nextSide(h: number): number {
  return h % 3 === 2 ? h - 2 : h + 1;
}

/** Indices of pairs worth taking, best first (bucket sort on the score, ties in file order). */
function bestFirst(triangles: Uint32Array, positions: Float32Array, pairs: Uint32Array): Uint32Array {
  const pairCount = pairs.length / 2;
  const level = new Int32Array(pairCount).fill(-1);
  const starts = new Uint32Array(SCORE_LEVELS + 1);
  let kept = 0;
  for (let i = 0; i < pairCount; i++) {
    const score = scorePair(triangles, positions, pairs[i * 2], pairs[i * 2 + 1]);
    if (score === Infinity) continue;
    level[i] = Math.max(0, Math.min(SCORE_LEVELS - 1, Math.floor(((score + 1.5) / 3.5) * SCORE_LEVELS)));
    starts[level[i] + 1]++;
    kept++;
  }
  for (let l = 0; l < SCORE_LEVELS; l++) starts[l + 1] += starts[l];
  const order = new Uint32Array(kept);
  for (let i = 0; i < pairCount; i++) if (level[i] >= 0) order[starts[level[i]]++] = i;
  return order;
}

/** Lower is better; Infinity where the pair makes no fair quad. `a` and `b` are the diagonal's two half-edges. */
function scorePair(triangles: Uint32Array, positions: Float32Array, a: number, b: number): number {
  const from = triangles[a];
  const to = triangles[nextSide(a)];
  // Both must run the edge in opposite directions, or one of them is inside out.
  if (triangles[b] !== to || triangles[nextSide(b)] !== from) return Infinity;
  const apexA = triangles[nextSide(nextSide(a))];
  const apexB = triangles[nextSide(nextSide(b))];
  if (apexA === apexB) return Infinity;
  const ta = Math.floor(a / 3);
  const tb = Math.floor(b / 3);
  const paired = Math.abs(ta - tb) === 1;
  const fold = cosineBetweenFaces(positions, from, to, apexA, apexB);
  const fanned = paired && triangles[ta * 3] === triangles[tb * 3];
  if (!(fold > (fanned ? MIN_FOLD_COSINE_PAIRED : MIN_FOLD_COSINE))) return Infinity;
  const c0 = cornerCosine(positions, apexA, from, apexB);
  const c1 = cornerCosine(positions, from, apexB, to);
  const c2 = cornerCosine(positions, apexB, to, apexA);
  const c3 = cornerCosine(positions, to, apexA, from);
  const worst = Math.max(Math.abs(c0), Math.abs(c1), Math.abs(c2), Math.abs(c3));
  const turns = angleOf(c0) + angleOf(c1) + angleOf(c2) + angleOf(c3);
  // The corners of a convex quad turn through nearly a full circle; a dent shows as less. A file's own fan may be dented.
  if (!fanned && !(turns > 2 * Math.PI - 0.6)) return Infinity;
  const most = fanned ? MAX_CORNER_COSINE_FANNED : paired ? MAX_CORNER_COSINE_PAIRED : MAX_CORNER_COSINE;
  if (!(worst < most)) return Infinity;
  let score = worst + (1 - fold) * 0.5;
  if (paired) score -= NEXT_IN_FILE;
  if (fanned) score -= SAME_FIRST_CORNER;
  return score;
}

function angleOf(cosine: number): number {
  return Math.acos(Math.max(-1, Math.min(1, cosine)));
}

function cornerCosine(p: Float32Array, before: number, at: number, after: number): number {
  const ax = p[before * 3] - p[at * 3];
  const ay = p[before * 3 + 1] - p[at * 3 + 1];
  const az = p[before * 3 + 2] - p[at * 3 + 2];
  const bx = p[after * 3] - p[at * 3];
  const by = p[after * 3 + 1] - p[at * 3 + 1];
  const bz = p[after * 3 + 2] - p[at * 3 + 2];
  const lengths = Math.sqrt((ax * ax + ay * ay + az * az) * (bx * bx + by * by + bz * bz));
  return lengths > 0 ? (ax * bx + ay * by + az * bz) / lengths : 1;
}

function cosineBetweenFaces(p: Float32Array, from: number, to: number, apexA: number, apexB: number): number {
  const ex = p[to * 3] - p[from * 3];
  const ey = p[to * 3 + 1] - p[from * 3 + 1];
  const ez = p[to * 3 + 2] - p[from * 3 + 2];
  const ux = p[apexA * 3] - p[from * 3];
  const uy = p[apexA * 3 + 1] - p[from * 3 + 1];
  const uz = p[apexA * 3 + 2] - p[from * 3 + 2];
  const vx = p[apexB * 3] - p[from * 3];
  const vy = p[apexB * 3 + 1] - p[from * 3 + 1];
  const vz = p[apexB * 3 + 2] - p[from * 3 + 2];
  // Normals e × u and v × e.
  const nx = ey * uz - ez * uy;
  const ny = ez * ux - ex * uz;
  const nz = ex * uy - ey * ux;
  const mx = vy * ez - vz * ey;
  const my = vz * ex - vx * ez;
  const mz = vx * ey - vy * ex;
  const lengths = Math.sqrt((nx * nx + ny * ny + nz * nz) * (mx * mx + my * my + mz * mz));
  return lengths > 0 ? (nx * mx + ny * my + nz * mz) / lengths : -1;
}

function collectPolygons(triangles: Uint32Array, partner: Uint32Array, diagonal: Uint32Array): Polygons {
  const triangleCount = partner.length;
  const offsets = new Uint32Array(triangleCount + 1);
  const points = new Uint32Array(triangles.length);
  let polygons = 0;
  let corners = 0;
  for (let t = 0; t < triangleCount; t++) {
    const a = triangles[t * 3];
    const b = triangles[t * 3 + 1];
    const c = triangles[t * 3 + 2];
    if (a === b || b === c || c === a) continue;
    if (partner[t] === NONE) {
      points[corners++] = a;
      points[corners++] = b;
      points[corners++] = c;
    } else {
      if (partner[t] < t) continue;
      const h = diagonal[t];
      points[corners++] = triangles[h];
      points[corners++] = triangles[nextSide(nextSide(diagonal[partner[t]]))];
      points[corners++] = triangles[nextSide(h)];
      points[corners++] = triangles[nextSide(nextSide(h))];
    }
    offsets[++polygons] = corners;
  }
  return { offsets: offsets.slice(0, polygons + 1), points: points.slice(0, corners) };
}

/** Two triangles a quad, cut from its first corner. @param quads Uint32Array, 4 points a quad */
export function trianglesOfQuads(quads: Uint32Array): Uint32Array {
  const triangles = new Uint32Array((quads.length / 4) * 6);
  for (let q = 0, t = 0; q < quads.length; q += 4, t += 6)
    triangles.set([quads[q], quads[q + 1], quads[q + 2], quads[q], quads[q + 2], quads[q + 3]], t);
  return triangles;
}
