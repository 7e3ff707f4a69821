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
import type { CharacterSession } from '../session/CharacterSession.ts';
import type { Tokens } from '../theme/tokens.ts';
import { srgb } from './clay.ts';

/** How near, in pixels, a click must come to a bone. */
const NEAR_PX = 9;

/** Bones as thin ink strokes, joints as small lozenges; drawn over the model. */
export class SkeletonDrawing {
  readonly group = new Group();
  readonly #session: CharacterSession;
  readonly #lines: BufferAttribute;
  readonly #places: BufferAttribute;
  readonly #colours: BufferAttribute;
  readonly #sizes: BufferAttribute;
  readonly #tokens: Tokens;

  constructor(session: CharacterSession, tokens: Tokens) {
    this.#session = session;
    this.#tokens = tokens;
    const { joints } = session.skeleton;
    const bones = joints.filter(({ parent }) => parent >= 0 && joints[parent].parent >= 0).length;
    this.#lines = new BufferAttribute(new Float32Array(bones * 6), 3);
    this.#places = new BufferAttribute(new Float32Array(joints.length * 3), 3);
    this.#colours = new BufferAttribute(new Float32Array(joints.length * 3), 3);
    this.#sizes = new BufferAttribute(new Float32Array(joints.length), 1);

    const lineGeometry = new BufferGeometry().setAttribute('position', this.#lines);
    const lineMaterial = new LineBasicMaterial({
      depthTest: false,
      transparent: true,
      opacity: 0.55,
      toneMapped: false,
    });
    lineMaterial.color = srgb(tokens.ink).convertSRGBToLinear();
    const lines = new LineSegments(lineGeometry, lineMaterial);
    const points = new Points(
      new BufferGeometry()
        .setAttribute('position', this.#places)
        .setAttribute('tone', this.#colours)
        .setAttribute('size', this.#sizes),
      lozengeMaterial(),
    );
    lines.frustumCulled = points.frustumCulled = false;
    lines.renderOrder = 10;
    points.renderOrder = 11;
    this.group.add(lines, points);
    this.posed();
    this.chosen();
  }

  posed(): void {
    const { world, skeleton } = this.#session;
    const at = (joint: number, k: number): number => world[joint * 16 + 12 + k];
    let line = 0;
    skeleton.joints.forEach(({ parent }, joint) => {
      this.#places.setXYZ(joint, at(joint, 0), at(joint, 1), at(joint, 2));
      // What leads from a root to its children is no part of the body.
      if (parent < 0 || skeleton.joints[parent].parent < 0) return;
      this.#lines.setXYZ(line++, at(parent, 0), at(parent, 1), at(parent, 2));
      this.#lines.setXYZ(line++, at(joint, 0), at(joint, 1), at(joint, 2));
    });
    this.#lines.needsUpdate = true;
    this.#places.needsUpdate = true;
  }

  chosen(): void {
    const { joint: chosen, skeleton } = this.#session;
    const plain = srgb(this.#tokens.ink);
    const active = srgb(this.#tokens.accent);
    skeleton.joints.forEach((_, joint) => {
      const { r, g, b } = joint === chosen ? active : plain;
      this.#colours.setXYZ(joint, r, g, b);
      this.#sizes.setX(joint, joint === chosen ? 13 : 7);
    });
    this.#colours.needsUpdate = true;
    this.#sizes.needsUpdate = true;
  }

  /** The joint whose bone lies under a place on the canvas, in pixels; -1 for none. */
  pick(x: number, y: number, camera: Camera, width: number, height: number): number {
    const { joints } = this.#session.skeleton;
    const screen = joints.map((_, joint) => {
      const v = new Vector3().fromBufferAttribute(this.#places, joint).project(camera);
      return { x: ((v.x + 1) / 2) * width, y: ((1 - v.y) / 2) * height, behind: v.z > 1 };
    });
    let best = -1;
    let least = NEAR_PX;
    screen.forEach((end, joint) => {
      if (end.behind) return;
      // The joint itself counts before the bones that lead on from it.
      const own = Math.hypot(end.x - x, end.y - y) - 2;
      if (own < least) [best, least] = [joint, own];
      const { parent } = joints[joint];
      if (parent < 0 || joints[parent].parent < 0 || screen[parent].behind) return;
      const distance = distanceToSegment(x, y, screen[parent], end);
      if (distance < least) [best, least] = [parent, distance];
    });
    return best;
  }

  dispose(): void {
    for (const child of this.group.children) {
      (child as Points).geometry.dispose();
      ((child as Points).material as ShaderMaterial).dispose();
    }
  }
}

interface Spot {
  readonly x: number;
  readonly y: number;
}

function distanceToSegment(x: number, y: number, a: Spot, b: Spot): number {
  const [dx, dy] = [b.x - a.x, b.y - a.y];
  const squared = dx * dx + dy * dy;
  const t = squared > 0 ? Math.max(0, Math.min(1, ((x - a.x) * dx + (y - a.y) * dy) / squared)) : 0;
  return Math.hypot(x - a.x - t * dx, y - a.y - t * dy);
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
