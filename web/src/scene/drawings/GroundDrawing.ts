import {
  BufferAttribute,
  BufferGeometry,
  GLSL3,
  LineSegments,
  Matrix4,
  ShaderMaterial,
  Vector3,
} from 'three';
import type { Tokens } from '../../ui/theme/tokens.ts';
import type { Editing } from '../Editing.ts';
import { srgb } from './clay.ts';

/** Squares on each side of the middle, and how many of them the character is high. */
const SQUARES = 16;
const SQUARES_A_SIZE = 5;

const vertexShader = /* glsl */ `
out vec2 vOff;
uniform vec3 middle;
uniform vec3 across;
uniform vec3 along;
void main() {
  vec3 place = (modelMatrix * vec4(position, 1.0)).xyz;
  vOff = vec2(dot(place - middle, across), dot(place - middle, along));
  gl_Position = projectionMatrix * viewMatrix * vec4(place, 1.0);
}`;

const fragmentShader = /* glsl */ `
precision highp float;
uniform vec3 ink;
uniform float reach;
in vec2 vOff;
out vec4 colour;
void main() {
  float fade = 1.0 - smoothstep(0.25, 1.0, length(vOff) / reach);
  colour = vec4(ink, 0.5 * fade);
}`;

/** The ground that a motion goes over: thin squares at the height of the feet at rest, about what is looked at. */
export class GroundDrawing {
  readonly lines: LineSegments<BufferGeometry, ShaderMaterial>;
  readonly #square: number;
  readonly #up: Vector3;
  readonly #across: Vector3;
  readonly #along: Vector3;
  /** How high it lies along up. */
  readonly #height: number;

  constructor(at: Editing, tokens: Tokens) {
    this.#square = at.document.size / SQUARES_A_SIZE || 1;
    const up = new Vector3(...at.document.up).normalize();
    this.#up = up;
    this.#across = new Vector3(Math.abs(up.x) > 0.5 ? 0 : 1, Math.abs(up.x) > 0.5 ? 1 : 0, 0);
    this.#along = new Vector3().crossVectors(this.#across, up).normalize();
    this.#height = lowestAtRest(at, up);
    const material = new ShaderMaterial({
      glslVersion: GLSL3,
      vertexShader,
      fragmentShader,
      transparent: true,
      depthWrite: false,
      toneMapped: false,
      uniforms: {
        ink: { value: srgb(tokens.faint) },
        middle: { value: new Vector3() },
        across: { value: this.#across },
        along: { value: this.#along },
        reach: { value: SQUARES * this.#square },
      },
    });
    this.lines = new LineSegments(this.#squares(), material);
    this.lines.frustumCulled = false;
    this.lines.visible = false;
  }

  #squares(): BufferGeometry {
    const places: number[] = [];
    const put = (a: number, b: number): void => {
      const place = new Vector3()
        .addScaledVector(this.#across, a * this.#square)
        .addScaledVector(this.#along, b * this.#square);
      places.push(...place.toArray());
    };
    // Square by square: some renderers drop a line as a whole that goes on behind the eye.
    for (let i = -SQUARES; i <= SQUARES; i++) {
      for (let k = -SQUARES; k < SQUARES; k++) {
        put(i, k);
        put(i, k + 1);
        put(k, i);
        put(k + 1, i);
      }
    }
    return new BufferGeometry().setAttribute('position', new BufferAttribute(Float32Array.from(places), 3));
  }

  /** Lies about a place from now on: by whole squares, so that it seems to stay where it is. */
  lieAbout(place: Vector3): void {
    const whole = (axis: Vector3): number => Math.round(place.dot(axis) / this.#square) * this.#square;
    const { material, position } = this.lines;
    (material.uniforms.middle.value as Vector3).copy(place);
    position
      .copy(this.#up)
      .multiplyScalar(this.#height)
      .addScaledVector(this.#across, whole(this.#across))
      .addScaledVector(this.#along, whole(this.#along));
  }

  dispose(): void {
    this.lines.geometry.dispose();
    this.lines.material.dispose();
  }
}

/** How low the surface reaches where it was bound, along a direction. */
function lowestAtRest({ scene: { parts } }: Editing, up: Vector3): number {
  let lowest = Infinity;
  const place = new Vector3();
  for (const { skin, part } of parts) {
    // What leads from the part's own space into the scene stands last.
    const intoScene = new Matrix4().fromArray(part.inverseBinds, part.inverseBinds.length - 16);
    for (let i = 0; i < skin.rest.length; i += 3)
      lowest = Math.min(lowest, place.fromArray(skin.rest, i).applyMatrix4(intoScene).dot(up));
  }
  return Number.isFinite(lowest) ? lowest : 0;
}
