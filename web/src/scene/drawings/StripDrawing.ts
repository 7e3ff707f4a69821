import {
  BufferAttribute,
  BufferGeometry,
  Mesh,
  OrthographicCamera,
  Scene,
  Sphere,
  type Camera,
  type ShaderMaterial,
} from 'three';
import { tintCount, tintPoint } from './jointColours.ts';
import { dynamic, type Figure, isStray, type Tints } from './PartDrawing.ts';
import { weightOf } from '@judoka/core/weights';
import type { Editing } from '../Editing.ts';
import { FlatPicture } from '../flat/FlatPicture.ts';
import type { FlatDrawing } from '../flat/FlatDrawing.ts';

type At = Editing;

/** How the points of the region look under some weights. */
interface Looks {
  readonly weight: BufferAttribute;
  readonly stray: BufferAttribute;
  readonly tint: BufferAttribute;
}

const createLooks = (count: number): Looks => ({
  weight: dynamic(new Float32Array(count), 1),
  stray: dynamic(new Uint8Array(count), 1, true),
  tint: dynamic(new Uint8Array(count * 3), 3, true),
});

/** The pictures of the bend strip: one geometry each, weights shared between those that have none of their own. */
export class StripDrawing {
  readonly #at: At;
  readonly #material: ShaderMaterial;
  readonly #flat: FlatDrawing | undefined;
  #layers: FlatPicture[] = [];
  /** Of a drawing, by part: where its points begin among the pictures', and how many they are. */
  readonly #regions = new Map<number, readonly [number, number]>();
  readonly camera = new OrthographicCamera();
  readonly scenes: Scene[] = [];
  #version = -1;
  #stageLooks = createLooks(0);
  /** By picture, where it has weights of its own. */
  #looks: (Looks | undefined)[] = [];
  #moving: BufferAttribute[] = [];
  #strains: BufferAttribute[] = [];
  #geometries: BufferGeometry[] = [];

  /** @param flat of a drawing: the layers that the pictures show */
  constructor(at: At, material: ShaderMaterial, flat?: FlatDrawing) {
    this.#at = at;
    this.#flat = flat;
    this.#material = material;
  }

  /** Brings geometry and weights up to date before drawing. */
  update(tints: Tints, figure: Figure): void {
    const strained = figure === 'strain';
    const {
      scene: { strip },
    } = this.#at;
    if (strip.version !== this.#version) this.#rebuild();
    this.#version = strip.version;
    for (const attribute of this.#moving) attribute.needsUpdate = true;
    this.#layers.forEach((layers, i) => {
      layers.setOrder(this.#at.scene.orderIn(strip.pictures[i].pose));
      layers.setOwnWeights(strained);
      for (const [part, [from, count]] of this.#regions)
        layers.place(
          part,
          strip.positions[i].subarray(from * 3, (from + count) * 3),
          strained ? 'strain' : undefined,
        );
    });
    if (strained) strip.figures();
    this.#geometries.forEach((geometry, i) => {
      const looks = this.#looks[i] ?? this.#stageLooks;
      geometry.setAttribute('weight', strained ? this.#strains[i] : looks.weight);
      geometry.setAttribute('stray', looks.stray);
      geometry.setAttribute('tint', looks.tint);
      if (strained) this.#strains[i].needsUpdate = true;
    });
    this.#update(this.#stageLooks, tints);
    this.#looks.forEach((looks, i) => looks && strip.inPicture(i, () => this.#update(looks, tints, true)));
    if (figure === 'amounts') this.#takeAmounts();
  }

  #takeAmounts(): void {
    const { strip, amounts } = this.#at.scene;
    for (const looks of [this.#stageLooks, ...this.#looks]) {
      strip.forEachRegion((part, points, from) => {
        const own = amounts?.[part.index];
        if (looks)
          for (let i = 0; i < points.length; i++) looks.weight.array[from + i] = own?.[points[i]] ?? 0;
      });
    }
  }

  /** @param others whether other weights are in the rows than those on the stage */
  #update({ weight, stray, tint }: Looks, tints: Tints, others = false): void {
    const { strip, joint, palette } = this.#at.scene;
    const [weights, strays, colours] = [weight.array, stray.array, tint.array as Uint8Array];
    strip.forEachRegion((part, points, from) => {
      const { rows } = part.skin;
      for (let i = 0; i < points.length; i++) {
        const own = others ? weightOf(rows, points[i], joint) : part.jointWeights[points[i]];
        weights[from + i] = own;
        strays[from + i] = !others && isStray(part, points[i]) ? 255 : 0;
        if (tints === 'joints') tintPoint(rows, points[i], palette.rgb, colours, from + i);
        else if (tints === 'count') tintCount(rows, points[i], colours, from + i);
      }
    });
    weight.needsUpdate = true;
    stray.needsUpdate = true;
    if (tints !== 'none') tint.needsUpdate = true;
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
    const { strip } = this.#at.scene;
    const flat = this.#flat;
    if (flat && strip.isWhole) {
      this.#regions.clear();
      strip.forEachRegion((part, points, from) => this.#regions.set(part.index, [from, points.length]));
      this.#stageLooks = createLooks(strip.count);
      this.#looks = [];
      this.#moving = [];
      this.#layers = strip.pictures.map(() => new FlatPicture(flat, new Set(this.#regions.keys())));
      this.scenes.push(...this.#layers.map(({ group }) => new Scene().add(group)));
      return;
    }
    const { count, triangles, positions, normals, strains } = this.#at.scene.strip;
    this.#stageLooks = createLooks(count);
    this.#looks = this.#at.scene.strip.pictures.map(({ weights }) => weights && createLooks(count));
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
      geometry.boundingSphere = new Sphere(undefined, Infinity);
      this.#geometries[i] = geometry;
      const mesh = new Mesh(geometry, this.#material);
      mesh.frustumCulled = false;
      this.scenes[i] = new Scene().add(mesh);
    });
  }

  dispose(): void {
    for (const geometry of this.#geometries) geometry.dispose();
    for (const layers of this.#layers) layers.dispose();
    this.#layers.length = 0;
    this.#geometries.length = 0;
    this.scenes.length = 0;
  }
}
