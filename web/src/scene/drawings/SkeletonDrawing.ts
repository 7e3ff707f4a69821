import { liveJoints } from '@judoka/core/skeleton';
import {
  BufferAttribute,
  BufferGeometry,
  Group,
  LineBasicMaterial,
  LineSegments,
  Points,
  ShaderMaterial,
  Vector3,
  type Camera,
} from 'three';
import type { Tokens } from '../../ui/theme/tokens.ts';
import { srgb } from './clay.ts';
import { distanceToSegment } from './ReachDrawing.ts';
import type { Editing } from '../Editing.ts';
import type { Spot } from '../spot.ts';

type At = Editing;

/** How near, in pixels, a click must come to a bone. */
const NEAR_PX = 9;

/** Bones as thin ink strokes, joints as small lozenges; drawn over the model. */
export class SkeletonDrawing {
  readonly group = new Group();
  readonly #at: At;
  readonly #tokens: Tokens;
  readonly #strokes: LineSegments<BufferGeometry, LineBasicMaterial>;
  readonly #lozenges: Points<BufferGeometry, ShaderMaterial>;
  /** A joint that would be added, and the bone that would lead to it. */
  readonly #newLozenge: Points<BufferGeometry, ShaderMaterial>;
  readonly #newStroke: LineSegments<BufferGeometry, LineBasicMaterial>;
  /** Joints that are there, as drawn: attributes hold one entry each, in this order. */
  #joints: number[] = [];
  #lines = new BufferAttribute(new Float32Array(0), 3);
  #places = new BufferAttribute(new Float32Array(0), 3);
  #colours = new BufferAttribute(new Float32Array(0), 3);
  #sizes = new BufferAttribute(new Float32Array(0), 1);

  constructor(at: At, tokens: Tokens) {
    this.#at = at;
    this.#tokens = tokens;
    const lineMaterial = new LineBasicMaterial({
      depthTest: false,
      transparent: true,
      opacity: 0.55,
      toneMapped: false,
    });
    lineMaterial.color = srgb(tokens.bone).convertSRGBToLinear();
    this.#strokes = new LineSegments(new BufferGeometry(), lineMaterial);
    this.#lozenges = new Points(new BufferGeometry(), lozengeMaterial());
    const accent = lineMaterial.clone();
    accent.color = srgb(tokens.accent).convertSRGBToLinear();
    this.#newStroke = new LineSegments(new BufferGeometry(), accent);
    this.#newLozenge = new Points(new BufferGeometry(), lozengeMaterial());
    for (const [order, each] of [
      this.#strokes,
      this.#newStroke,
      this.#lozenges,
      this.#newLozenge,
    ].entries()) {
      each.frustumCulled = false;
      each.renderOrder = order < 2 ? 10 : 11;
      this.group.add(each);
    }
    this.showNew(undefined);
    this.rebuild();
  }

  /** Joints were added, taken out or hung elsewhere. */
  rebuild(): void {
    const {
      document: { skeleton },
    } = this.#at;
    this.#joints = liveJoints(skeleton);
    const bones = this.#joints.filter((joint) => this.#boneFrom(joint) >= 0).length;
    const count = this.#joints.length;
    this.#lines = new BufferAttribute(new Float32Array(bones * 6), 3);
    this.#places = new BufferAttribute(new Float32Array(count * 3), 3);
    this.#colours = new BufferAttribute(new Float32Array(count * 3), 3);
    this.#sizes = new BufferAttribute(new Float32Array(count), 1);
    this.#strokes.geometry.dispose();
    this.#strokes.geometry = new BufferGeometry().setAttribute('position', this.#lines);
    this.#lozenges.geometry.dispose();
    this.#lozenges.geometry = new BufferGeometry()
      .setAttribute('position', this.#places)
      .setAttribute('tone', this.#colours)
      .setAttribute('size', this.#sizes);
    this.posed();
    this.chosen();
  }

  /**
   * The joint that a bone leads to this one from; -1 for none. What leads on from a file's root is no part of the body;
   * from one that a person has placed, it is.
   */
  #boneFrom(joint: number): number {
    const { joints } = this.#at.document.skeleton;
    const { parent } = joints[joint];
    return parent >= 0 && (joints[parent].parent >= 0 || joints[parent].node < 0) ? parent : -1;
  }

  posed(): void {
    const {
      scene: { world },
    } = this.#at;
    const at = (joint: number, k: number): number => world[joint * 16 + 12 + k];
    let line = 0;
    this.#joints.forEach((joint, i) => {
      this.#places.setXYZ(i, at(joint, 0), at(joint, 1), at(joint, 2));
      const from = this.#boneFrom(joint);
      if (from < 0) return;
      this.#lines.setXYZ(line++, at(from, 0), at(from, 1), at(from, 2));
      this.#lines.setXYZ(line++, at(joint, 0), at(joint, 1), at(joint, 2));
    });
    this.#lines.needsUpdate = true;
    this.#places.needsUpdate = true;
  }

  chosen(): void {
    const {
      scene: { joint: chosen, alsoChosen },
    } = this.#at;
    const plain = srgb(this.#tokens.bone);
    const active = srgb(this.#tokens.accent);
    this.#joints.forEach((joint, i) => {
      const { r, g, b } = joint === chosen || alsoChosen.has(joint) ? active : plain;
      this.#colours.setXYZ(i, r, g, b);
      this.#sizes.setX(i, joint === chosen ? 13 : alsoChosen.has(joint) ? 10 : 7);
    });
    this.#colours.needsUpdate = true;
    this.#sizes.needsUpdate = true;
  }

  /** Shows where a joint would be added below the chosen one; nothing where it would not. */
  showNew(place: readonly [number, number, number] | undefined): void {
    this.#newLozenge.visible = place !== undefined;
    const { joint, world } = this.#at.scene;
    this.#newStroke.visible = place !== undefined && joint >= 0;
    if (!place) return;
    const { r, g, b } = srgb(this.#tokens.accent);
    const put = (geometry: BufferGeometry, name: string, numbers: number[], size: number): BufferGeometry =>
      geometry.setAttribute(name, new BufferAttribute(Float32Array.from(numbers), size));
    const { geometry } = this.#newLozenge;
    put(put(put(geometry, 'position', [...place], 3), 'tone', [r, g, b], 3), 'size', [11], 1);
    if (joint < 0) return;
    const from = world.subarray(joint * 16 + 12, joint * 16 + 15);
    put(this.#newStroke.geometry, 'position', [...from, ...place], 3);
  }

  /** The joint itself that lies within some pixels of a place on the canvas; -1 for none. */
  jointAt({ x, y }: Spot, camera: Camera, width: number, height: number, within: number): number {
    let best = -1;
    let least = within;
    this.#joints.forEach((joint, i) => {
      const v = new Vector3().fromBufferAttribute(this.#places, i).project(camera);
      const far = Math.hypot(((v.x + 1) / 2) * width - x, ((1 - v.y) / 2) * height - y);
      if (v.z <= 1 && far < least) [best, least] = [joint, far];
    });
    return best;
  }

  /** The joint whose bone lies under a place on the canvas, in pixels; -1 for none. */
  pick(x: number, y: number, camera: Camera, width: number, height: number): number {
    const screen = new Map(
      this.#joints.map((joint, i) => {
        const v = new Vector3().fromBufferAttribute(this.#places, i).project(camera);
        return [joint, { x: ((v.x + 1) / 2) * width, y: ((1 - v.y) / 2) * height, behind: v.z > 1 }];
      }),
    );
    let best = -1;
    let least = NEAR_PX;
    for (const [joint, end] of screen) {
      if (end.behind) continue;
      // The joint itself counts before the bones that lead on from it.
      const own = Math.hypot(end.x - x, end.y - y) - 2;
      if (own < least) [best, least] = [joint, own];
      const from = this.#boneFrom(joint);
      const start = screen.get(from);
      if (!start || start.behind) continue;
      const distance = distanceToSegment({ x, y }, start, end);
      if (distance < least) [best, least] = [from, distance];
    }
    return best;
  }

  dispose(): void {
    for (const each of [this.#strokes, this.#lozenges, this.#newStroke, this.#newLozenge]) {
      each.geometry.dispose();
      each.material.dispose();
    }
  }
}

function lozengeMaterial(): ShaderMaterial {
  return new ShaderMaterial({
    depthTest: false,
    transparent: true,
    toneMapped: false,
    vertexShader: /* glsl */ `
      attribute vec3 tone;
      attribute float size;
      varying vec3 vTone;
      void main() {
        vTone = tone;
        gl_PointSize = size;
        gl_Position = projectionMatrix * modelViewMatrix * vec4(position, 1.0);
      }`,
    fragmentShader: /* glsl */ `
      varying vec3 vTone;
      void main() {
        vec2 p = abs(gl_PointCoord - 0.5);
        if (p.x + p.y > 0.5) discard;
        gl_FragColor = vec4(vTone, 1.0);
      }`,
  });
}
