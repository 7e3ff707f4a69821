import {
  BufferAttribute,
  BufferGeometry,
  GLSL3,
  Group,
  LineSegments,
  Points,
  ShaderMaterial,
  Vector2,
} from 'three';
import type { PointMask } from '@judoka/core/mesh';
import type { Tokens } from '../../ui/theme/tokens.ts';
import type { ScenePart } from '../ScenePart.ts';
import { srgb } from './clay.ts';
import type { Editing } from '../Editing.ts';

type At = Editing;

/** Dots are as large as this where there is room, and never smaller than the least. */
const DOT_PX = 4.5;
const LEAST_DOT_PX = 1.4;
/** How much of the way to the next point a dot may take. */
const FILLED = 0.3;
/** Lines are one pixel wide in WebGL: the outline is drawn twice, this far apart. */
const APART_PX = 0.5;

// Drawn a little nearer to the eye, so that dots and lines do not sink into their own surface.
const dotVertices = /* glsl */ `
uniform float pixel;
uniform float spacing;
uniform float viewHeight;
void main() {
  gl_Position = projectionMatrix * modelViewMatrix * vec4(position, 1.0);
  gl_Position.z -= 0.00004 * gl_Position.w;
  float apart = spacing * projectionMatrix[1][1] / gl_Position.w * 0.5 * viewHeight;
  gl_PointSize = pixel * clamp(${FILLED} * apart, ${LEAST_DOT_PX}, ${DOT_PX});
}`;

const dotFragments = /* glsl */ `
precision highp float;
uniform vec3 accent;
out vec4 colour;
void main() {
  if (length(gl_PointCoord - 0.5) > 0.5) discard;
  colour = vec4(accent, 1.0);
}`;

const rimVertices = /* glsl */ `
uniform vec2 shift;
void main() {
  gl_Position = projectionMatrix * modelViewMatrix * vec4(position, 1.0);
  gl_Position.z -= 0.00006 * gl_Position.w;
  gl_Position.xy += shift * gl_Position.w;
}`;

const rimFragments = /* glsl */ `
precision highp float;
uniform vec3 accent;
out vec4 colour;
void main() {
  colour = vec4(accent, 1.0);
}`;

interface PartMarks {
  readonly dots: Points<BufferGeometry, ShaderMaterial>;
  readonly rims: readonly LineSegments<BufferGeometry, ShaderMaterial>[];
}

/**
 * The selection: a persimmon line about it and a dot on each point, small enough to let the weights be seen. Both lie
 * over the parts' own posed places.
 */
export class SelectionDrawing {
  readonly group = new Group();
  readonly #at: At;
  readonly #parts: readonly PartMarks[];
  readonly #materials: ShaderMaterial[] = [];
  readonly #rimMaterials: readonly ShaderMaterial[];

  /** @param positions by part, the attribute over its posed positions, shared with the surface */
  constructor(at: At, positions: readonly BufferAttribute[], tokens: Tokens) {
    this.#at = at;
    const accent = { value: srgb(tokens.accent) };
    this.#rimMaterials = [-1, 1].map(() =>
      this.#material(rimVertices, rimFragments, { accent, shift: { value: new Vector2() } }),
    );
    this.#parts = positions.map((position, part) => {
      const material = this.#material(dotVertices, dotFragments, {
        accent,
        pixel: { value: Math.min(2, devicePixelRatio) },
        spacing: { value: typicalEdge(at.scene.parts[part]) },
        viewHeight: { value: 1 },
      });
      const dots = new Points(new BufferGeometry().setAttribute('position', position), material);
      const line = new BufferGeometry().setAttribute('position', position);
      const rims = this.#rimMaterials.map((each) => new LineSegments(line, each));
      for (const drawn of [dots, ...rims]) {
        drawn.frustumCulled = false;
        drawn.renderOrder = 5;
      }
      this.group.add(dots, ...rims);
      return { dots, rims };
    });
    this.update();
  }

  #material(
    vertexShader: string,
    fragmentShader: string,
    uniforms: ShaderMaterial['uniforms'],
  ): ShaderMaterial {
    const made = new ShaderMaterial({
      glslVersion: GLSL3,
      vertexShader,
      fragmentShader,
      toneMapped: false,
      uniforms,
    });
    this.#materials.push(made);
    return made;
  }

  /** Takes the selection and what is shown anew. */
  update(): void {
    const { selection, parts } = this.#at.scene;
    const points = selection.points();
    this.#parts.forEach(({ dots, rims }, part) => {
      const own = points.get(part);
      const visible = own !== undefined && parts[part].visible;
      for (const drawn of [dots, ...rims]) drawn.visible = visible;
      if (!own) return;
      dots.geometry.setIndex(new BufferAttribute(own, 1));
      rims[0].geometry.setIndex(new BufferAttribute(rimOf(parts[part].part, own), 1));
    });
  }

  /** Sizes are of the picture: told before each drawing of the stage. */
  aim(width: number, height: number): void {
    for (const { dots } of this.#parts) dots.material.uniforms.viewHeight.value = height;
    const [x, y] = [(2 * APART_PX) / Math.max(1, width), (2 * APART_PX) / Math.max(1, height)];
    this.#rimMaterials.forEach((material, i) => {
      const sign = i === 0 ? -1 : 1;
      (material.uniforms.shift.value as Vector2).set(sign * x, sign * y);
    });
  }

  dispose(): void {
    for (const { dots, rims } of this.#parts) {
      dots.geometry.dispose();
      rims[0].geometry.dispose();
    }
    for (const material of this.#materials) material.dispose();
  }
}

/** How far a part's points lie apart at rest, in scene units: the mean over a thousand edges. */
function typicalEdge({ part: { positions, triangles } }: ScenePart): number {
  const step = 3 * Math.max(1, Math.floor(triangles.length / 3 / 1000));
  let [sum, count] = [0, 0];
  for (let t = 0; t + 1 < triangles.length; t += step) {
    const [a, b] = [triangles[t] * 3, triangles[t + 1] * 3];
    sum += Math.hypot(
      positions[a] - positions[b],
      positions[a + 1] - positions[b + 1],
      positions[a + 2] - positions[b + 2],
    );
    count++;
  }
  return count === 0 ? 0 : sum / count;
}

/**
 * The edges along which a selection ends: both ends are in it, and a corner beside them is not.
 * @returns Uint32Array, two points an edge
 */
export function rimOf(
  { triangles, pointCount }: { readonly triangles: Uint32Array; readonly pointCount: number },
  points: Uint32Array,
): Uint32Array {
  const selected: PointMask = new Uint8Array(pointCount);
  for (const point of points) selected[point] = 1;
  const rim: number[] = [];
  for (let t = 0; t < triangles.length; t += 3) {
    const [a, b, c] = [triangles[t], triangles[t + 1], triangles[t + 2]];
    if (selected[a] + selected[b] + selected[c] !== 2) continue;
    if (!selected[a]) rim.push(b, c);
    else if (!selected[b]) rim.push(c, a);
    else rim.push(a, b);
  }
  return Uint32Array.from(rim);
}
