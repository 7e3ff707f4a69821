import { BufferAttribute, BufferGeometry, DoubleSide, Group, Mesh, MeshBasicMaterial } from 'three';
import type { Tokens } from '../../ui/theme/tokens.ts';
import type { Editing } from '../Editing.ts';
import { srgb } from './clay.ts';

/** Another surface over the character, seen through. */
export class GhostDrawing {
  readonly group = new Group();
  readonly #at: Editing;
  readonly #material: MeshBasicMaterial;
  #geometries: BufferGeometry[] = [];

  constructor(at: Editing, tokens: Tokens) {
    this.#at = at;
    this.#material = new MeshBasicMaterial({
      color: srgb(tokens.accent),
      transparent: true,
      opacity: 0.3,
      depthWrite: false,
      side: DoubleSide,
    });
    this.update();
  }

  update(): void {
    this.#clear();
    for (const { positions, triangles } of this.#at.scene.ghost) {
      const geometry = new BufferGeometry();
      geometry.setAttribute('position', new BufferAttribute(positions, 3));
      geometry.setIndex(new BufferAttribute(triangles, 1));
      const mesh = new Mesh(geometry, this.#material);
      mesh.frustumCulled = false;
      this.#geometries.push(geometry);
      this.group.add(mesh);
    }
  }

  #clear(): void {
    for (const geometry of this.#geometries) geometry.dispose();
    this.#geometries = [];
    this.group.clear();
  }

  dispose(): void {
    this.#clear();
    this.#material.dispose();
  }
}
