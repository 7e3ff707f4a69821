import { PLAIN_MEMORY } from '@judoka/core/memory';
import { strainEdges, strainPoints } from '@judoka/core/analysis/bends';
import { weightOf } from '@judoka/core/weights';
import {
  BufferAttribute,
  BufferGeometry,
  Mesh,
  PerspectiveCamera,
  Scene,
  Sphere,
  Vector3,
  type ShaderMaterial,
} from 'three';
import type { ScenePart } from '../ScenePart.ts';
import { prepareStrain } from '../strainView.ts';
import type { Beside } from '../../settings/uiSettings.ts';
import type { Editing } from '../Editing.ts';
import { FlatPicture } from '../flat/FlatPicture.ts';
import type { FlatDrawing } from '../flat/FlatDrawing.ts';
import type { Figure } from './PartDrawing.ts';

type At = Editing;

/** Strains of a part that lies otherwise than on the stage. */
function strainInto(part: ScenePart, positions: Float32Array, out: Float32Array): void {
  prepareStrain(part);
  const { strain } = part;
  const strains = new Float32Array(strain.lengths.length);
  strainEdges(strain.edges, strain.lengths, positions, strains);
  out.fill(0);
  strainPoints(strain.edges, strains, out);
}

/** The view beside the stage: the same scene from the mirrored place, or other weights in the same pose. */
export class BesideDrawing {
  readonly #at: At;
  readonly #material: ShaderMaterial;
  readonly #flat: FlatDrawing | undefined;
  #layers: FlatPicture | undefined;
  readonly #scene = new Scene();
  readonly #camera = new PerspectiveCamera();
  #meshes: { readonly part: ScenePart; readonly mesh: Mesh }[] = [];
  mode: Beside = 'none';
  #figure: Figure = 'weight';

  /** @param flat of a drawing: the layers that are shown */
  constructor(at: At, material: ShaderMaterial, flat?: FlatDrawing) {
    this.#at = at;
    this.#flat = flat;
    this.#material = material;
  }

  setMode(mode: Beside): void {
    this.mode = mode;
    if (mode === 'before' && this.#meshes.length === 0) this.#build();
    this.update();
  }

  setFigure(figure: Figure): void {
    if (this.#figure === figure) return;
    this.#figure = figure;
    this.update();
  }

  /** After another pose, another joint, or other weights beside. */
  update(): void {
    if (this.mode !== 'before') return;
    const {
      scene: { joint, amounts, besideRows },
      document: { character },
    } = this.#at;
    // These arrays are not in the kernels' memory.
    const plain = this.#at.scene.deformerIn(PLAIN_MEMORY);
    this.#layers?.setOrder(this.#at.scene.layerOrder);
    for (const { part, mesh } of this.#meshes) {
      mesh.visible = part.visible && !this.#layers;
      this.#layers?.setShown(part.index, part.visible);
      if (!part.visible) continue;
      const { position, normal, weight } = mesh.geometry.attributes as Record<string, BufferAttribute>;
      const rows = besideRows?.[part.index] ?? character.rows[part.index];
      plain.skinRange(
        {
          ...part.skin,
          rows,
          positions: position.array as Float32Array,
          normals: normal.array as Float32Array,
        },
        part.dual,
        0,
        part.part.pointCount,
      );
      const column = weight.array as Float32Array;
      if (this.#figure === 'strain') strainInto(part, position.array as Float32Array, column);
      else if (this.#figure === 'amounts')
        column.set(amounts?.[part.index] ?? new Float32Array(column.length));
      else for (let p = 0; p < column.length; p++) column[p] = joint < 0 ? 0 : weightOf(rows, p, joint);
      this.#layers?.place(
        part.index,
        position.array as Float32Array,
        this.#figure === 'strain' ? 'strain' : column,
      );
      for (const attribute of [position, normal, weight]) attribute.needsUpdate = true;
    }
  }

  /** The scene and the camera of this view; `stage` is what the stage shows. */
  look(stage: Scene, eye: PerspectiveCamera): { scene: Scene; camera: PerspectiveCamera } {
    if (this.mode === 'before') return { scene: this.#scene, camera: eye };
    const { axis, middle } = this.#at.document.pairs;
    const mirrored = (at: Vector3): Vector3 => at.setComponent(axis, 2 * middle - at.getComponent(axis));
    const target = eye.getWorldDirection(new Vector3()).multiplyScalar(10).add(eye.position);
    this.#camera.copy(eye, false);
    this.#camera.position.copy(mirrored(eye.position.clone()));
    this.#camera.up.copy(eye.up);
    this.#camera.lookAt(mirrored(target));
    this.#camera.updateMatrixWorld();
    return { scene: stage, camera: this.#camera };
  }

  #build(): void {
    const parts = this.#at.scene.parts.filter(({ part: { role } }) => role !== 'cage');
    this.#meshes = parts.map((part) => {
      const { pointCount, triangles } = part.part;
      const geometry = new BufferGeometry();
      geometry.setIndex(new BufferAttribute(triangles, 1));
      geometry.setAttribute('position', new BufferAttribute(new Float32Array(pointCount * 3), 3));
      geometry.setAttribute('normal', new BufferAttribute(new Float32Array(pointCount * 3), 3));
      geometry.setAttribute('weight', new BufferAttribute(new Float32Array(pointCount), 1));
      geometry.setAttribute('stray', new BufferAttribute(new Uint8Array(pointCount), 1, true));
      geometry.setAttribute('tint', new BufferAttribute(new Uint8Array(pointCount * 3), 3, true));
      geometry.boundingSphere = new Sphere(undefined, Infinity);
      const mesh = new Mesh(geometry, this.#material);
      mesh.frustumCulled = false;
      return { part, mesh };
    });
    if (this.#flat) {
      this.#layers = new FlatPicture(this.#flat, new Set(this.#meshes.map(({ part }) => part.index)), true);
      this.#scene.add(this.#layers.group);
    }
    this.#scene.add(...this.#meshes.map(({ mesh }) => mesh));
  }

  dispose(): void {
    for (const { mesh } of this.#meshes) mesh.geometry.dispose();
    this.#layers?.dispose();
  }
}
