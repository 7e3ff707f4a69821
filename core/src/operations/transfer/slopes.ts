import type { MixedRow } from './mixedRow.ts';
import type { WeightRows } from '../../weights/rows.ts';

/** What slopes are taken of: a surface whose points have rows of weights. */
export interface SlopedSurface {
  /** Float32Array, 3 a point. */
  readonly positions: Float32Array;
  readonly triangles: Uint32Array;
  /** Where a point's weights are. */
  readonly rows: (point: number) => readonly [WeightRows, number];
}

/** How fast each joint's weight changes at a point: joints, and three numbers a joint. */
interface Slope {
  readonly joints: Uint16Array;
  readonly ways: Float64Array;
}

const NONE: Slope = { joints: new Uint16Array(0), ways: new Float64Array(0) };
/** Against surroundings that lie in one line or plane. */
const STIFFENING = 1e-6;

/**
 * How weights change over a surface, by least squares over the points around each, found when asked for. Between two
 * points that know their slopes, a weight that begins or ends softly is told to the second order rather than the first
 * (a quadratic comes out as it is), which copying and blending corners cannot do where points are few.
 */
export class Slopes {
  readonly #surface: SlopedSurface;
  readonly #known = new Map<number, Slope>();
  readonly #right = new RightSides();
  #around: { readonly offsets: Uint32Array; readonly triangles: Uint32Array } | undefined;

  constructor(surface: SlopedSurface) {
    this.#surface = surface;
  }

  /** Adds to a row what the slope at a point says of a place that lies `x`, `y`, `z` from it, times `share`. */
  add(point: number, share: number, x: number, y: number, z: number, row: MixedRow): void {
    let slope = this.#known.get(point);
    if (!slope) this.#known.set(point, (slope = this.#find(point)));
    const { joints, ways } = slope;
    for (let k = 0; k < joints.length; k++)
      row.add(joints[k], share * (ways[k * 3] * x + ways[k * 3 + 1] * y + ways[k * 3 + 2] * z));
  }

  #find(point: number): Slope {
    const { positions, triangles, rows } = this.#surface;
    this.#around ??= trianglesAround(triangles, positions.length / 3);
    const { offsets, triangles: around } = this.#around;
    const right = this.#right;
    right.clear();
    const own = rows(point);
    let [xx, xy, xz, yy, yz, zz] = [0, 0, 0, 0, 0, 0];
    for (let k = offsets[point]; k < offsets[point + 1]; k++)
      for (let corner = around[k] * 3, end = corner + 3; corner < end; corner++) {
        // A point inside the surface is met twice, by the triangles on both sides of the edge.
        const other = triangles[corner];
        const x = positions[other * 3] - positions[point * 3];
        const y = positions[other * 3 + 1] - positions[point * 3 + 1];
        const z = positions[other * 3 + 2] - positions[point * 3 + 2];
        const far = x * x + y * y + z * z;
        if (far === 0) continue;
        // Nearer ones say far more: where a surface was thinned out, its triangles are long where it is straight.
        const trust = 1 / (far * far * far);
        right.addRow(rows(other), trust, x, y, z);
        right.addRow(own, -trust, x, y, z);
        xx += trust * x * x;
        xy += trust * x * y;
        xz += trust * x * z;
        yy += trust * y * y;
        yz += trust * y * z;
        zz += trust * z * z;
      }
    return right.solved([xx, xy, xz, yy, yz, zz]);
  }
}

/** Right sides of a point's systems, one a joint; used again for the next point. */
class RightSides {
  #count = 0;
  readonly #joints: number[] = [];
  readonly #sums: number[] = [];

  clear(): void {
    this.#count = 0;
  }

  addRow([of, point]: readonly [WeightRows, number], trust: number, x: number, y: number, z: number): void {
    for (let k = point * of.stride, end = k + of.stride; k < end && of.values[k] !== 0; k++) {
      const at = this.#slot(of.joints[k]) * 3;
      const more = trust * of.values[k];
      this.#sums[at] += more * x;
      this.#sums[at + 1] += more * y;
      this.#sums[at + 2] += more * z;
    }
  }

  solved(matrix: readonly number[]): Slope {
    const count = this.#count;
    if (count < 2) return NONE;
    const ways = new Float64Array(count * 3);
    for (let k = 0; k < ways.length; k += 3) ways.set(solve(matrix, this.#sums.slice(k, k + 3)), k);
    return { joints: Uint16Array.from(this.#joints.slice(0, count)), ways };
  }

  #slot(joint: number): number {
    for (let k = 0; k < this.#count; k++) if (this.#joints[k] === joint) return k;
    const slot = this.#count++;
    this.#joints[slot] = joint;
    this.#sums[slot * 3] = this.#sums[slot * 3 + 1] = this.#sums[slot * 3 + 2] = 0;
    return slot;
  }
}

/** Solves a symmetric 3 × 3 system (xx, xy, xz, yy, yz, zz), stiffened so that what nothing is known of comes out as zero. */
function solve([a, b, c, d, e, f]: readonly number[], [x, y, z]: readonly number[]): number[] {
  const more = STIFFENING * (a + d + f);
  const [p, q, r] = [a + more, d + more, f + more];
  const xx = q * r - e * e;
  const xy = c * e - b * r;
  const xz = b * e - c * q;
  const yy = p * r - c * c;
  const yz = b * c - p * e;
  const zz = p * q - b * b;
  const determinant = p * xx + b * xy + c * xz;
  if (!(determinant > 0)) return [0, 0, 0];
  return [
    (xx * x + xy * y + xz * z) / determinant,
    (xy * x + yy * y + yz * z) / determinant,
    (xz * x + yz * y + zz * z) / determinant,
  ];
}

function trianglesAround(triangles: Uint32Array, pointCount: number) {
  const offsets = new Uint32Array(pointCount + 1);
  for (const corner of triangles) offsets[corner + 1]++;
  for (let p = 0; p < pointCount; p++) offsets[p + 1] += offsets[p];
  const next = offsets.slice(0, pointCount);
  const around = new Uint32Array(triangles.length);
  triangles.forEach((corner, k) => {
    around[next[corner]++] = (k / 3) | 0;
  });
  return { offsets, triangles: around };
}
