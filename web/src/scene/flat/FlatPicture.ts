import { BufferGeometry, Group, Mesh, Sphere } from 'three';
import { dynamic } from '../drawings/PartDrawing.ts';
import type { FlatDrawing } from './FlatDrawing.ts';

/** The layers in another pose, for the bend strip: what they look like is the stage's, where they are is their own. */
export class FlatPicture {
  readonly group = new Group();
  readonly #flat: FlatDrawing;
  readonly #regions: ReadonlyMap<number, readonly [number, number]>;
  readonly #geometries = new Map<number, BufferGeometry>();

  /** @param regions by part: where its points begin among the picture's, and how many they are */
  constructor(flat: FlatDrawing, regions: ReadonlyMap<number, readonly [number, number]>) {
    this.#flat = flat;
    this.#regions = regions;
    for (const { index, geometry, mesh, order } of flat.layers) {
      if (!regions.has(index)) continue;
      const own = new BufferGeometry();
      own.setIndex(geometry.index);
      for (const name of ['weight', 'tint', 'own']) own.setAttribute(name, geometry.getAttribute(name));
      own.setAttribute('position', dynamic(new Float32Array(mesh.count * 3), 3));
      own.boundingSphere = new Sphere(undefined, Infinity);
      const drawn = new Mesh(own, flat.materials.fill);
      drawn.frustumCulled = false;
      drawn.renderOrder = order;
      this.group.add(drawn);
      this.#geometries.set(index, own);
    }
  }

  /** @param positions Float32Array, 3 a point of the regions, in the picture's pose */
  place(positions: Float32Array): void {
    for (const { index, mesh } of this.#flat.layers) {
      const region = this.#regions.get(index);
      const position = this.#geometries.get(index)?.getAttribute('position');
      if (!region || !position) continue;
      const [from, count] = region;
      mesh.place(positions.subarray(from * 3, (from + count) * 3), position.array as Float32Array);
      position.needsUpdate = true;
    }
  }

  dispose(): void {
    for (const geometry of this.#geometries.values()) geometry.dispose();
  }
}
