import { BufferGeometry, Group, Mesh, Sphere, type BufferAttribute } from 'three';
import { dynamic } from '../drawings/PartDrawing.ts';
import { orderOfRank } from './LayerDrawing.ts';
import type { FlatDrawing } from './FlatDrawing.ts';

/** The layers in another pose: in a picture of the bend strip, or beside the stage. What they look like is the stage's. */
export class FlatPicture {
  readonly group = new Group();
  readonly #flat: FlatDrawing;
  readonly #meshes = new Map<number, Mesh>();

  /** @param indices of the parts that are shown; @param hasWeights whether it has weights of its own */
  constructor(flat: FlatDrawing, indices: ReadonlySet<number>, hasWeights = false) {
    this.#flat = flat;
    for (const layer of flat.layers) {
      const { index, geometry, mesh } = layer;
      if (!indices.has(index)) continue;
      const own = new BufferGeometry();
      own.setIndex(geometry.index);
      for (const name of ['weight', 'tint', 'own']) own.setAttribute(name, geometry.getAttribute(name));
      own.setAttribute('position', dynamic(new Float32Array(mesh.count * 3), 3));
      if (hasWeights) own.setAttribute('weight', dynamic(new Float32Array(mesh.count), 1));
      own.boundingSphere = new Sphere(undefined, Infinity);
      if (geometry.hasAttribute('uv')) own.setAttribute('uv', geometry.getAttribute('uv'));
      for (const { start, count, materialIndex } of geometry.groups)
        own.addGroup(start, count, materialIndex);
      const drawn = new Mesh(own, layer.material(false));
      drawn.frustumCulled = false;
      this.group.add(drawn);
      this.#meshes.set(index, drawn);
    }
  }

  /**
   * @param positions Float32Array, 3 a point of the part
   * @param values one a point, where it has weights of its own; 'strain' for how much what is seen is strained
   */
  place(index: number, positions: Float32Array, values?: Float32Array | 'strain'): void {
    const layer = this.#flat.layers.find((each) => each.index === index);
    const drawn = this.#meshes.get(index);
    if (!layer || !drawn) return;
    const { position, weight } = drawn.geometry.attributes as Record<string, BufferAttribute>;
    layer.mesh.place(positions, position.array as Float32Array);
    position.needsUpdate = true;
    if (!values) return;
    if (values === 'strain') layer.strainOf(position.array as Float32Array, weight.array as Float32Array);
    else layer.mesh.spread(values, weight.array as Float32Array);
    weight.needsUpdate = true;
  }

  /** @param order parts from back to front */
  setOrder(order: readonly number[]): void {
    order.forEach((part, rank) => {
      const drawn = this.#meshes.get(part);
      if (drawn) drawn.renderOrder = orderOfRank(rank);
    });
  }

  /** Whether the pictures have weights of their own, or show the stage's. */
  setOwnWeights(hasOwn: boolean): void {
    for (const [index, { geometry }] of this.#meshes) {
      const layer = this.#flat.layers.find((each) => each.index === index);
      const stage = layer?.geometry.getAttribute('weight');
      if (!layer || !stage || (geometry.getAttribute('weight') !== stage) === hasOwn) continue;
      geometry.setAttribute('weight', hasOwn ? dynamic(new Float32Array(layer.mesh.count), 1) : stage);
    }
  }

  setShown(index: number, shown: boolean): void {
    const drawn = this.#meshes.get(index);
    if (drawn) drawn.visible = shown;
  }

  dispose(): void {
    for (const { geometry } of this.#meshes.values()) geometry.dispose();
  }
}
