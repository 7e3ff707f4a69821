import { type PointMask, refine, refineSurface, type SubdivisionStep } from '@judoka/core/mesh';
import { BufferAttribute, BufferGeometry, Sphere } from 'three';
import { type CageFigures, dynamic } from './PartDrawing.ts';
import { markWhole } from '../picking/Picker.ts';

/** A part's surface, subdivided: a geometry that follows the points of its cage. */
export class SmoothSurface {
  readonly geometry = new BufferGeometry();
  readonly #steps: readonly SubdivisionStep[];
  readonly #attributes: Readonly<
    Record<'position' | 'normal' | 'weight' | 'stray' | 'tint', BufferAttribute>
  >;
  /** For steps before the last: room for three numbers a point. */
  readonly #between: readonly Float32Array[];
  readonly #normalsBetween: readonly Float32Array[];
  /** By quad of the last step: the polygon of the cage that it is a part of. */
  readonly #polygonOf: Uint32Array;

  constructor(steps: readonly SubdivisionStep[]) {
    this.#steps = steps;
    const { pointCount } = steps[steps.length - 1];
    const make = (width: number): BufferAttribute => dynamic(new Float32Array(pointCount * width), width);
    this.#attributes = { position: make(3), normal: make(3), weight: make(1), stray: make(1), tint: make(3) };
    this.#between = steps.slice(0, -1).map((step) => new Float32Array(step.pointCount * 3));
    this.#normalsBetween = this.#between.map(({ length }) => new Float32Array(length));
    this.#polygonOf = steps.reduce<Uint32Array | undefined>(
      (above, { polygonOf }) => (above ? polygonOf.map((quad) => above[quad]) : polygonOf),
      undefined,
    ) as Uint32Array;
    for (const [name, attribute] of Object.entries(this.#attributes))
      this.geometry.setAttribute(name, attribute);
    this.geometry.boundingSphere = new Sphere(undefined, Infinity);
    this.setHidden(undefined, new Uint32Array(0), new Uint32Array(0));
  }

  /** Polygons with hidden points are not drawn. */
  setHidden(hidden: PointMask | undefined, offsets: Uint32Array, points: Uint32Array): void {
    const isHidden = (f: number): boolean =>
      hidden !== undefined && points.subarray(offsets[f], offsets[f + 1]).some((p) => hidden[p] === 1);
    const { quads } = this.#steps[this.#steps.length - 1];
    const index = new Uint32Array((quads.length / 4) * 6);
    let count = 0;
    for (let q = 0; q < quads.length / 4; q++) {
      if (hidden && isHidden(this.#polygonOf[q])) continue;
      const [a, b, c, d] = quads.subarray(q * 4, q * 4 + 4);
      index.set([a, b, c, a, c, d], count);
      count += 6;
    }
    this.geometry.setIndex(new BufferAttribute(index.subarray(0, count), 1));
  }

  /** Follows the cage. */
  update({ positions, normals, weight, stray, tint }: CageFigures): void {
    const { position, normal, ...own } = this.#attributes;
    this.#refineSurface(positions, normals, position, normal);
    this.#refine(weight, 1, own.weight);
    this.#refine(stray, 1, own.stray, 1 / 255);
    if (tint) this.#refine(tint, 3, own.tint, 1 / 255);
  }

  #refineSurface(
    positions: Float32Array,
    normals: Float32Array,
    position: BufferAttribute,
    normal: BufferAttribute,
  ): void {
    const last = this.#steps.length - 1;
    let now = [positions, normals];
    this.#steps.forEach((step, i) => {
      const next =
        i === last
          ? [position.array as Float32Array, normal.array as Float32Array]
          : [this.#between[i], this.#normalsBetween[i]];
      refineSurface(step, now[0], now[1], next[0], next[1]);
      now = next;
    });
    markWhole(position);
    markWhole(normal);
  }

  #refine(from: ArrayLike<number>, width: 1 | 3, attribute: BufferAttribute, by = 1): void {
    const to = attribute.array as Float32Array;
    let now = from;
    this.#steps.forEach((step, i) => {
      const next = i === this.#steps.length - 1 ? to : this.#between[i];
      refine(step, now, width, next);
      now = next;
    });
    if (by !== 1) for (let k = 0; k < to.length; k++) to[k] *= by;
    markWhole(attribute);
  }

  dispose(): void {
    this.geometry.dispose();
  }
}
