import { BufferAttribute, BufferGeometry, GLSL3, Group, Points, ShaderMaterial } from 'three';
import type { Tokens } from '../../ui/theme/tokens.ts';
import { srgb } from './clay.ts';
import type { Editing } from '../Editing.ts';

type At = Editing;

const SIZE_PX = 4.5;

// Drawn a little nearer to the eye, so that dots do not sink into their own surface.
const vertexShader = /* glsl */ `
uniform float size;
void main() {
  gl_Position = projectionMatrix * modelViewMatrix * vec4(position, 1.0);
  gl_Position.z -= 0.00004 * gl_Position.w;
  gl_PointSize = size;
}`;

const fragmentShader = /* glsl */ `
precision highp float;
uniform vec3 accent;
out vec4 colour;
void main() {
  if (length(gl_PointCoord - 0.5) > 0.5) discard;
  colour = vec4(accent, 1.0);
}`;

/** A persimmon dot on each selected point, lying over the parts' own posed places. */
export class SelectionDrawing {
  readonly group = new Group();
  readonly #at: At;
  readonly #dots: readonly Points<BufferGeometry, ShaderMaterial>[];
  readonly #material: ShaderMaterial;

  /** @param positions by part, the attribute over its posed positions, shared with the surface */
  constructor(at: At, positions: readonly BufferAttribute[], tokens: Tokens) {
    this.#at = at;
    this.#material = new ShaderMaterial({
      glslVersion: GLSL3,
      vertexShader,
      fragmentShader,
      toneMapped: false,
      uniforms: {
        size: { value: SIZE_PX * Math.min(2, devicePixelRatio) },
        accent: { value: srgb(tokens.accent) },
      },
    });
    this.#dots = positions.map((position) => {
      const dots = new Points(new BufferGeometry().setAttribute('position', position), this.#material);
      dots.frustumCulled = false;
      dots.renderOrder = 5;
      return dots;
    });
    this.group.add(...this.#dots);
    this.update();
  }

  /** Takes the selection and what is shown anew. */
  update(): void {
    const points = this.#at.scene.selection.points();
    this.#dots.forEach((dots, part) => {
      const own = points.get(part);
      dots.visible = own !== undefined && this.#at.scene.parts[part].visible;
      if (own) dots.geometry.setIndex(new BufferAttribute(own, 1));
    });
  }

  dispose(): void {
    for (const dots of this.#dots) dots.geometry.dispose();
    this.#material.dispose();
  }
}
