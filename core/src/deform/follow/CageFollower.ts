import type { SkinArrays } from '../skin.ts';
import { addFaceNormal, facesAbout, type PointFaces } from '../../mesh/facesAbout.ts';
import type { Follower, Needed } from './Follower.ts';
import type { CageHold } from './hold.ts';

/** Places in a cage, which do what its points do (Ju, Schaefer, Warren 2005); they face as their faces then do. */
export class CageFollower implements Follower {
  readonly all: Needed;
  readonly followed: Pick<SkinArrays, 'positions' | 'normals'>;
  readonly #hold: CageHold;
  readonly #triangles: Uint32Array;
  readonly #faces: PointFaces;
  readonly #numbers: ReadonlyMap<number, number>;
  /** Float32Array, 3 a point of the cage, as taken. */
  readonly #cage: Float32Array;
  readonly #sum = new Float64Array(3);

  /** @param triangles of the places */
  constructor(hold: CageHold, triangles: Uint32Array) {
    const { points, heights } = hold;
    this.#hold = hold;
    this.#triangles = triangles;
    this.#faces = facesAbout(triangles, heights.length);
    this.#numbers = new Map(Array.from(points, (p, i) => [p, i]));
    this.#cage = new Float32Array(points.length * 3);
    this.followed = {
      positions: new Float32Array(heights.length * 3),
      normals: new Float32Array(heights.length * 3),
    };
    this.all = { anchors: new Uint32Array(0), points, numbers: Uint32Array.from(points.keys()) };
  }

  /** Every place needs the whole cage. */
  needOf(): Needed {
    return this.all;
  }

  placesAt(touched: ArrayLike<number>, count: number): Uint32Array {
    for (let i = 0; i < count; i++)
      if (this.#numbers.has(touched[i])) return Uint32Array.from(this.#hold.heights.keys());
    return new Uint32Array(0);
  }

  take(numbers: Uint32Array, positions: Float32Array): void {
    for (let i = 0; i < numbers.length; i++)
      for (let k = 0; k < 3; k++) this.#cage[numbers[i] * 3 + k] = positions[i * 3 + k];
  }

  follow(_needed: Needed, points?: ArrayLike<number>, count = 0): void {
    if (!points) {
      for (let p = 0; p < this.#hold.heights.length; p++) this.#place(p);
      for (let p = 0; p < this.#hold.heights.length; p++) this.#face(p);
      return;
    }
    const { offsets, faces } = this.#faces;
    const about = new Set<number>();
    for (let i = 0; i < count; i++) {
      about.add(points[i]);
      for (let k = offsets[points[i]]; k < offsets[points[i] + 1]; k++)
        for (let c = faces[k] * 3; c < faces[k] * 3 + 3; c++) about.add(this.#triangles[c]);
    }
    for (const p of about) this.#place(p);
    for (let i = 0; i < count; i++) this.#face(points[i]);
  }

  #place(p: number): void {
    const [cage, { coordinates, points }] = [this.#cage, this.#hold];
    let [x, y, z] = [0, 0, 0];
    for (let i = 0, at = p * points.length, c = 0; i < points.length; i++, at++, c += 3) {
      const share = coordinates[at];
      x += share * cage[c];
      y += share * cage[c + 1];
      z += share * cage[c + 2];
    }
    const { positions } = this.followed;
    positions[p * 3] = x;
    positions[p * 3 + 1] = y;
    positions[p * 3 + 2] = z;
  }

  /** A point's normal: that of the faces about it, by their areas. */
  #face(p: number): void {
    const { positions, normals } = this.followed;
    const { offsets, faces } = this.#faces;
    const sum = this.#sum.fill(0);
    for (let k = offsets[p]; k < offsets[p + 1]; k++)
      addFaceNormal(positions, this.#triangles, faces[k], sum);
    const size = Math.sqrt(sum[0] ** 2 + sum[1] ** 2 + sum[2] ** 2) || 1;
    for (let k = 0; k < 3; k++) normals[p * 3 + k] = sum[k] / size;
  }
}
