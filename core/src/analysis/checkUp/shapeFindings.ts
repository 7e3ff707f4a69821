import { findIslands, findNeighbours, type Islands } from '../../mesh/topology.ts';
import type { CheckInput } from '../../document/checkInput.ts';
import { counted, type Finding } from '../../document/finding.ts';
import { proposeWeld } from '../../mesh/weldNear.ts';
import { PointCells } from '../../spatial/pointCells.ts';

/** Faces by themselves are petals or spots; so many, and this share of a part, are a mesh that came apart. */
const MIN_LOOSE = 24;
const LOOSE_SHARE = 0.2;

type Shape = CheckInput['parts'][number];

/** What is wrong with the surfaces. */
export function findShapeTroubles(input: CheckInput): Finding[] {
  return input.parts.flatMap((shape, part) => {
    const neighbours = findNeighbours(
      { offsets: shape.polygonOffsets, points: shape.polygonPoints },
      shape.pointCount,
    );
    const islands = findIslands(neighbours);
    const faces = sortFaces(shape);
    const none = zeroArea(shape);
    return [
      ...told(looseOf(neighbours.offsets, shape.vertexPoint), {
        code: 'loose-points',
        severity: 'note',
        part,
        message: (count) => `“${shape.name}” has ${counted(count, 'point')} that no face uses.`,
      }),
      ...told(looseTriangles(shape, islands), {
        code: 'loose-triangles',
        severity: 'warning',
        part,
        message: (count) => `“${shape.name}” has ${counted(count, 'face')} that share no points with others.`,
        repair: () => weldWords(shape),
      }),
      ...told(none, {
        code: 'zero-area-faces',
        severity: 'note',
        part,
        message: (count) => `“${shape.name}” has ${counted(count, 'face')} without area.`,
      }),
      ...told(faces.doubled, {
        code: 'doubled-faces',
        severity: 'warning',
        part,
        message: (count) => `“${shape.name}” has ${counted(count, 'face')} in the place of another.`,
      }),
      ...told(faces.crowded, {
        code: 'non-manifold-edges',
        severity: 'warning',
        part,
        message: (count) => `“${shape.name}” has ${counted(count, 'edge')} with more than two faces.`,
      }),
      ...told(insideOut(shape, islands, faces.open), {
        code: 'inside-out',
        severity: 'warning',
        part,
        message: (count) =>
          `“${shape.name}” has ${counted(count, 'closed island')} with the faces turned inward.`,
      }),
      ...told(touching(input, shape, islands), {
        code: 'islands-touch',
        severity: 'note',
        part,
        message: (count) =>
          `“${shape.name}” is made of ${islands.count} islands, ${count} of which touch another.`,
      }),
    ];
  });
}

/** How many there are, and the points that show it. */
interface Shown {
  readonly count: number;
  readonly points: Iterable<number>;
}

function told(
  { count, points }: Shown,
  finding: Pick<Finding, 'code' | 'severity' | 'part'> & {
    message: (count: number) => string;
    /** What a repair would do; nothing where there is none after all. */
    repair?: () => string | undefined;
  },
): Finding[] {
  if (count === 0) return [];
  const { message, repair, ...rest } = finding;
  const does = repair?.();
  return [
    {
      ...rest,
      count,
      points: Uint32Array.from(new Set(points)).sort(),
      message: message(count),
      ...(does !== undefined && { repair: does }),
    },
  ];
}

function weldWords(shape: Shape): string | undefined {
  const distance = proposeWeld(shape);
  if (distance === 0) return undefined;
  return `Points within ${distance.toPrecision(2)} of each other become one, with the mean of their weights; points keep their places.`;
}

/** Faces that are islands of their own, where there are many of them. */
function looseTriangles({ polygonOffsets, polygonPoints }: Shape, { ofPoint }: Islands): Shown {
  const faces = new Map<number, number>();
  const count = polygonOffsets.length - 1;
  for (let face = 0; face < count; face++) {
    const island = ofPoint[polygonPoints[polygonOffsets[face]]];
    faces.set(island, (faces.get(island) ?? 0) + 1);
  }
  const points: number[] = [];
  let loose = 0;
  for (let face = 0; face < count; face++) {
    const corners = polygonPoints.subarray(polygonOffsets[face], polygonOffsets[face + 1]);
    if (faces.get(ofPoint[corners[0]]) !== 1) continue;
    loose++;
    points.push(...corners);
  }
  return loose >= MIN_LOOSE && loose > LOOSE_SHARE * count
    ? { count: loose, points }
    : { count: 0, points: [] };
}

function looseOf(offsets: Uint32Array, vertexPoint: Uint32Array): Shown {
  const points: number[] = [];
  // Points that another stands for have no vertex, and are none of the mesh's any more.
  const standing = new Uint8Array(offsets.length);
  for (const p of vertexPoint) standing[p] = 1;
  for (let p = 0; p + 1 < offsets.length; p++)
    if (offsets[p] === offsets[p + 1] && standing[p]) points.push(p);
  return { count: points.length, points };
}

/** Triangles thinner than this, as height against longest side, have no area. */
const FLATTEST = 1e-6;

function zeroArea({ positions, triangles }: Shape): Shown {
  const points: number[] = [];
  for (let t = 0; t < triangles.length; t += 3) {
    const [a, b, c] = [triangles[t] * 3, triangles[t + 1] * 3, triangles[t + 2] * 3];
    const ux = positions[b] - positions[a];
    const uy = positions[b + 1] - positions[a + 1];
    const uz = positions[b + 2] - positions[a + 2];
    const vx = positions[c] - positions[a];
    const vy = positions[c + 1] - positions[a + 1];
    const vz = positions[c + 2] - positions[a + 2];
    const [nx, ny, nz] = [uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx];
    const longest = Math.max(ux * ux + uy * uy + uz * uz, vx * vx + vy * vy + vz * vz);
    if (Math.sqrt(nx * nx + ny * ny + nz * nz) <= FLATTEST * longest)
      points.push(triangles[t], triangles[t + 1], triangles[t + 2]);
  }
  return { count: points.length / 3, points };
}

interface Faces {
  readonly doubled: Shown;
  readonly crowded: Shown;
  /** Points on an edge with one face. */
  readonly open: Uint8Array;
}

/** Faces and edges in sorted order, so that the same ones stand together: no Map, no Set. */
function sortFaces({ triangles, pointCount }: Shape): Faces {
  const faceCount = triangles.length / 3;
  // 1. Edges by their lower point (counting sort), then each short bucket by the higher one.
  const starts = new Uint32Array(pointCount + 1);
  for (let t = 0; t < triangles.length; t += 3) {
    for (let k = 0; k < 3; k++) {
      const [a, b] = [triangles[t + k], triangles[t + (k === 2 ? 0 : k + 1)]];
      starts[(a < b ? a : b) + 1]++;
    }
  }
  for (let p = 0; p < pointCount; p++) starts[p + 1] += starts[p];
  const ends = starts.slice(0, pointCount);
  const others = new Uint32Array(triangles.length);
  const faceOf = new Uint32Array(triangles.length);
  for (let t = 0; t < triangles.length; t += 3) {
    for (let k = 0; k < 3; k++) {
      const [a, b] = [triangles[t + k], triangles[t + (k === 2 ? 0 : k + 1)]];
      const at = ends[a < b ? a : b]++;
      others[at] = a < b ? b : a;
      faceOf[at] = t / 3;
    }
  }
  const open = new Uint8Array(pointCount);
  const crowded: number[] = [];
  let crowdedCount = 0;
  const isDoubled = new Uint8Array(faceCount);
  const third = (face: number, a: number, b: number): number =>
    triangles[face * 3] + triangles[face * 3 + 1] + triangles[face * 3 + 2] - a - b;
  for (let p = 0; p < pointCount; p++) {
    for (let i = starts[p]; i < starts[p + 1]; i++) {
      if (others[i] === p) continue;
      // 2. Faces of the same edge; each edge is looked at from its first entry.
      let count = 1;
      let second = -1;
      let first = true;
      for (let k = starts[p]; k < starts[p + 1]; k++) {
        if (k === i || others[k] !== others[i]) continue;
        if (k < i) {
          first = false;
          break;
        }
        count++;
        second = k;
      }
      if (!first) continue;
      if (count === 1) open[p] = open[others[i]] = 1;
      // Nearly every edge has two faces, and they differ.
      if (
        count === 1 ||
        (count === 2 && third(faceOf[i], p, others[i]) !== third(faceOf[second], p, others[i]))
      )
        continue;
      const kept: number[] = [];
      for (let k = i; k < starts[p + 1]; k++) {
        if (others[k] !== others[i]) continue;
        const corner = third(faceOf[k], p, others[i]);
        if (kept.includes(corner)) isDoubled[faceOf[k]] = 1;
        else kept.push(corner);
      }
      // Doubled faces are told as such, not as crowded edges.
      if (kept.length > 2) {
        crowdedCount++;
        crowded.push(p, others[i]);
      }
    }
  }
  const doubled: number[] = [];
  let doubledCount = 0;
  for (let face = 0; face < faceCount; face++) {
    if (!isDoubled[face]) continue;
    doubledCount++;
    doubled.push(triangles[face * 3], triangles[face * 3 + 1], triangles[face * 3 + 2]);
  }
  return {
    doubled: { count: doubledCount, points: doubled },
    crowded: { count: crowdedCount, points: crowded },
    open,
  };
}

/** Closed islands whose signed volume is negative. */
function insideOut(
  { positions, triangles, pointCount, inverseBinds }: Shape,
  islands: Islands,
  open: Uint8Array,
): Shown {
  const volumes = new Float64Array(islands.count);
  const torn = new Uint8Array(islands.count);
  const middle = new Float64Array(islands.count * 3);
  const counts = new Uint32Array(islands.count);
  for (let p = 0; p < pointCount; p++) {
    const island = islands.ofPoint[p];
    if (island < 0) continue;
    if (open[p]) torn[island] = 1;
    counts[island]++;
    for (let k = 0; k < 3; k++) middle[island * 3 + k] += positions[p * 3 + k];
  }
  for (let i = 0; i < middle.length; i++) middle[i] /= counts[Math.floor(i / 3)];
  for (let t = 0; t < triangles.length; t += 3) {
    const island = islands.ofPoint[triangles[t]];
    if (island < 0 || torn[island]) continue;
    const [mx, my, mz] = [middle[island * 3], middle[island * 3 + 1], middle[island * 3 + 2]];
    const [a, b, c] = [triangles[t] * 3, triangles[t + 1] * 3, triangles[t + 2] * 3];
    const bx = positions[b] - mx;
    const by = positions[b + 1] - my;
    const bz = positions[b + 2] - mz;
    const cx = positions[c] - mx;
    const cy = positions[c + 1] - my;
    const cz = positions[c + 2] - mz;
    volumes[island] +=
      (positions[a] - mx) * (by * cz - bz * cy) +
      (positions[a + 1] - my) * (bz * cx - bx * cz) +
      (positions[a + 2] - mz) * (bx * cy - by * cx);
  }
  // A part that stands mirrored at rest turns its faces with it; that is told elsewhere.
  const place = inverseBinds.subarray(inverseBinds.length - 16);
  const mirrored =
    place[0] * (place[5] * place[10] - place[6] * place[9]) -
      place[4] * (place[1] * place[10] - place[2] * place[9]) +
      place[8] * (place[1] * place[6] - place[2] * place[5]) <
    0;
  const wrong = volumes.map((volume) => (mirrored ? 0 : volume < 0 ? 1 : 0));
  const points: number[] = [];
  for (let p = 0; p < pointCount; p++)
    if (islands.ofPoint[p] >= 0 && wrong[islands.ofPoint[p]]) points.push(p);
  return { count: wrong.reduce((sum, one) => sum + one, 0), points };
}

/** Islands with a point nearer to another island than the part's points mostly are to their neighbours. */
function touching({ tolerance }: CheckInput, { positions, pointCount }: Shape, islands: Islands): Shown {
  if (islands.count < 2) return { count: 0, points: [] };
  const members = Uint32Array.from({ length: pointCount }, (_, p) => p).filter(
    (p) => islands.ofPoint[p] >= 0,
  );
  const largest = largestIsland(islands);
  const cells = new PointCells(positions, members, tolerance);
  const points: number[] = [];
  const touch = new Set<number>();
  for (const p of members) {
    const island = islands.ofPoint[p];
    if (island === largest) continue;
    const near = cells.near(
      positions[p * 3],
      positions[p * 3 + 1],
      positions[p * 3 + 2],
      islands.ofPoint,
      island,
    );
    if (near < 0) continue;
    touch.add(island);
    touch.add(islands.ofPoint[near]);
    points.push(p);
  }
  return { count: touch.size, points };
}

function largestIsland({ count, ofPoint }: Islands): number {
  const counts = new Uint32Array(count);
  for (const island of ofPoint) if (island >= 0) counts[island]++;
  // Not spread into a call: a torn file can have more islands than a call takes arguments.
  return counts.reduce((best, one, island) => (one > counts[best] ? island : best), 0);
}
