import { influencesOf } from '@judoka/core/weights';
import { BufferAttribute, BufferGeometry, GLSL3, LineSegments, ShaderMaterial } from 'three';
import type { Tokens } from '../../ui/theme/tokens.ts';
import { srgb } from '../drawings/clay.ts';
import type { ScenePart } from '../ScenePart.ts';

/** Joints that are shown of a point, at most. */
const MAX_HOLDERS = 8;
/** Over all layers and their points. */
const HOLDERS_OVER = 5;

/** Who holds a point: a line to each joint that it follows, the stronger the more of its weight the joint has. */
export class HolderLines {
  readonly lines: LineSegments;
  readonly #ends = new BufferAttribute(new Float32Array(MAX_HOLDERS * 6), 3);
  readonly #shares = new BufferAttribute(new Float32Array(MAX_HOLDERS * 2), 1);
  readonly #material: ShaderMaterial;

  constructor(tokens: Tokens) {
    this.#material = new ShaderMaterial({
      glslVersion: GLSL3,
      depthTest: false,
      depthWrite: false,
      transparent: true,
      uniforms: { accent: { value: srgb(tokens.accent) } },
      vertexShader: /* glsl */ `
in float share;
out float vShare;
void main() {
  vShare = share;
  gl_Position = projectionMatrix * modelViewMatrix * vec4(position, 1.0);
}`,
      fragmentShader: /* glsl */ `
precision highp float;
uniform vec3 accent;
in float vShare;
out vec4 colour;
void main() { colour = vec4(accent, vShare); }`,
    });
    const geometry = new BufferGeometry()
      .setAttribute('position', this.#ends)
      .setAttribute('share', this.#shares);
    this.lines = new LineSegments(geometry, this.#material);
    this.lines.frustumCulled = false;
    this.lines.renderOrder = HOLDERS_OVER;
    this.lines.visible = false;
  }

  /** @param world matrices of the pose: Float32Array, 16 a joint */
  show(part: ScenePart, point: number, world: Float32Array): void {
    const { positions, rows } = part.skin;
    const held = influencesOf(rows, point).slice(0, MAX_HOLDERS);
    held.forEach(({ joint, weight }, k) => {
      this.#ends.setXYZ(k * 2, positions[point * 3], positions[point * 3 + 1], positions[point * 3 + 2]);
      this.#ends.setXYZ(k * 2 + 1, world[joint * 16 + 12], world[joint * 16 + 13], world[joint * 16 + 14]);
      // A trace of weight is a line too.
      this.#shares.setX(k * 2, 0.25 + 0.75 * weight);
      this.#shares.setX(k * 2 + 1, 0.25 + 0.75 * weight);
    });
    this.lines.geometry.setDrawRange(0, held.length * 2);
    this.#ends.needsUpdate = this.#shares.needsUpdate = true;
    this.lines.visible = held.length > 0;
  }

  hide(): void {
    this.lines.visible = false;
  }

  dispose(): void {
    this.lines.geometry.dispose();
    this.#material.dispose();
  }
}
