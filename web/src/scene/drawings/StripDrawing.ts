import {
  BufferAttribute,
  BufferGeometry,
  DynamicDrawUsage,
  Mesh,
  OrthographicCamera,
  Scene,
  Sphere,
  type Camera,
  type ShaderMaterial,
} from 'three';
import { tintCount, tintPoint } from './jointColours.ts';
import { isStray, type Tints } from './PartDrawing.ts';
import type { Editing } from '../Editing.ts';

type At = Editing;

/** The pictures of the bend strip: one geometry each, weights shared between them. */
export class StripDrawing {
  readonly #at: At;
  readonly #material: ShaderMaterial;
  readonly #colours: Float32Array;
  readonly camera = new OrthographicCamera();
  readonly scenes: Scene[] = [];
  #version = -1;
  #weight = new BufferAttribute(new Float32Array(0), 1);
  #stray = new BufferAttribute(new Uint8Array(0), 1, true);
  #tint = new BufferAttribute(new Uint8Array(0), 3, true);
  #moving: BufferAttribute[] = [];
  #strains: BufferAttribute[] = [];
  #geometries: BufferGeometry[] = [];

  constructor(at: At, material: ShaderMaterial, colours: Float32Array) {
    this.#at = at;
    this.#material = material;
    this.#colours = colours;
  }

  /** Brings geometry and weights up to date before drawing. */
  update(tints: Tints, strained: boolean): void {
    const {
      scene: { strip },
    } = this.#at;
    if (strip.version !== this.#version) this.#rebuild();
    this.#version = strip.version;
    for (const attribute of this.#moving) attribute.needsUpdate = true;
    if (strained) strip.figures();
    this.#geometries.forEach((geometry, i) => {
      geometry.setAttribute('weight', strained ? this.#strains[i] : this.#weight);
      if (strained) this.#strains[i].needsUpdate = true;
    });
    const weight = this.#weight.array as Float32Array;
    const stray = this.#stray.array as Uint8Array;
    const tint = this.#tint.array as Uint8Array;
    strip.forEachRegion((part, points, from) => {
      for (let i = 0; i < points.length; i++) {
        weight[from + i] = part.jointWeights[points[i]];
        stray[from + i] = isStray(part, points[i]) ? 255 : 0;
        if (tints === 'joints') tintPoint(part.skin.rows, points[i], this.#colours, tint, from + i);
        else if (tints === 'count') tintCount(part.skin.rows, points[i], tint, from + i);
      }
    });
    this.#weight.needsUpdate = true;
    this.#stray.needsUpdate = true;
    if (tints !== 'none') this.#tint.needsUpdate = true;
  }

  /** Looks as the stage's camera does, at the joint. */
  aim(stage: Camera, aspect: number): void {
    const { centre, reach } = this.#at.scene.strip;
    const back = stage.getWorldDirection(this.camera.position.clone()).negate();
    this.camera.position.set(...centre).addScaledVector(back, reach * 4);
    this.camera.up.copy(stage.up);
    this.camera.lookAt(...centre);
    const half = reach * 1.05;
    this.camera.top = half;
    this.camera.bottom = -half;
    this.camera.left = -half * aspect;
    this.camera.right = half * aspect;
    this.camera.near = reach * 0.1;
    this.camera.far = reach * 10;
    this.camera.updateProjectionMatrix();
  }

  #rebuild(): void {
    this.dispose();
    const { count, triangles, positions, normals, strains } = this.#at.scene.strip;
    const dynamic = (array: Float32Array | Uint8Array, size: number, normalized = false): BufferAttribute => {
      const attribute = new BufferAttribute(array, size, normalized);
      attribute.setUsage(DynamicDrawUsage);
      return attribute;
    };
    this.#weight = dynamic(new Float32Array(count), 1);
    this.#stray = dynamic(new Uint8Array(count), 1, true);
    this.#tint = dynamic(new Uint8Array(count * 3), 3, true);
    this.#moving = [];
    this.#strains = strains.map((each) => dynamic(each.subarray(0, count), 1));
    const index = new BufferAttribute(triangles, 1);
    this.#at.scene.strip.pictures.forEach((_, i) => {
      const position = dynamic(positions[i].subarray(0, count * 3), 3);
      const normal = dynamic(normals[i].subarray(0, count * 3), 3);
      this.#moving.push(position, normal);
      const geometry = new BufferGeometry();
      geometry.setIndex(index);
      geometry.setAttribute('position', position);
      geometry.setAttribute('normal', normal);
      geometry.setAttribute('weight', this.#weight);
      geometry.setAttribute('stray', this.#stray);
      geometry.setAttribute('tint', this.#tint);
      geometry.boundingSphere = new Sphere(undefined, Infinity);
      this.#geometries[i] = geometry;
      const mesh = new Mesh(geometry, this.#material);
      mesh.frustumCulled = false;
      this.scenes[i] = new Scene().add(mesh);
    });
  }

  dispose(): void {
    for (const geometry of this.#geometries) geometry.dispose();
    this.#geometries.length = 0;
    this.scenes.length = 0;
  }
}
