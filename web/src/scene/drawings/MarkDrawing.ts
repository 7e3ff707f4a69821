import { BufferAttribute, BufferGeometry, Points, ShaderMaterial, GLSL3, Vector3 } from 'three';
import type { Tokens } from '../../ui/theme/tokens.ts';
import { srgb } from './clay.ts';
import type { Editing } from '../Editing.ts';

type At = Editing;

const vertexShader = /* glsl */ `
uniform float size;
void main() {
  gl_Position = projectionMatrix * modelViewMatrix * vec4(position, 1.0);
  gl_PointSize = size;
}`;

// A lozenge with a light rim, so that it reads on clay and on dark weight alike.
const fragmentShader = /* glsl */ `
precision highp float;
uniform vec3 accent;
uniform vec3 rim;
out vec4 colour;
void main() {
  vec2 at = abs(gl_PointCoord - 0.5) * 2.0;
  float away = at.x + at.y;
  if (away > 1.0) discard;
  colour = vec4(away > 0.68 ? rim : accent, 1.0);
}`;

const SIZE_PX = 8;
const JOINT_SIZE_PX = 14;

/** What is pointed out: lozenges on exactly these points and joints, seen through the surface. */
export class MarkDrawing {
  readonly points: Points<BufferGeometry, ShaderMaterial>;
  readonly joints: Points<BufferGeometry, ShaderMaterial>;
  readonly #at: At;

  constructor(at: At, tokens: Tokens) {
    this.#at = at;
    this.points = lozenges(tokens, SIZE_PX);
    this.joints = lozenges(tokens, JOINT_SIZE_PX);
  }

  /** Takes marks and pose anew. @returns the middle and the radius of what is marked, if anything is */
  update(): { centre: Vector3; radius: number } | undefined {
    const {
      scene: { marks, parts, world },
    } = this.#at;
    const places: number[] = [];
    for (const [index, points] of marks.points) {
      const part = parts.at(index);
      if (!part?.visible) continue;
      for (const p of points) places.push(...part.skin.positions.subarray(p * 3, p * 3 + 3));
    }
    const placeOf = (joint: number): number[] => [...world.subarray(joint * 16 + 12, joint * 16 + 15)];
    const joints = marks.joints.flatMap(placeOf);
    for (const { joint, offset } of marks.besides ?? [])
      joints.push(...placeOf(joint).map((x, k) => x + offset[k]));
    setPlaces(this.points, places);
    setPlaces(this.joints, joints);
    const all = places.length > 0 ? places : joints;
    if (all.length === 0) return undefined;
    const least = new Vector3(Infinity, Infinity, Infinity);
    const most = new Vector3(-Infinity, -Infinity, -Infinity);
    const at = new Vector3();
    for (let i = 0; i < all.length; i += 3) {
      at.set(all[i], all[i + 1], all[i + 2]);
      least.min(at);
      most.max(at);
    }
    const centre = least.clone().add(most).multiplyScalar(0.5);
    return { centre, radius: most.distanceTo(least) / 2 };
  }

  dispose(): void {
    for (const each of [this.points, this.joints]) {
      each.geometry.dispose();
      each.material.dispose();
    }
  }
}

function lozenges(tokens: Tokens, size: number): Points<BufferGeometry, ShaderMaterial> {
  const material = new ShaderMaterial({
    glslVersion: GLSL3,
    vertexShader,
    fragmentShader,
    depthTest: false,
    toneMapped: false,
    uniforms: {
      size: { value: size * Math.min(2, devicePixelRatio) },
      accent: { value: srgb(tokens.accent) },
      rim: { value: srgb(tokens.paper) },
    },
  });
  const drawn = new Points(new BufferGeometry(), material);
  drawn.frustumCulled = false;
  drawn.renderOrder = 12;
  drawn.visible = false;
  return drawn;
}

function setPlaces(drawn: Points<BufferGeometry, ShaderMaterial>, places: readonly number[]): void {
  drawn.geometry.dispose();
  drawn.geometry = new BufferGeometry();
  drawn.geometry.setAttribute('position', new BufferAttribute(Float32Array.from(places), 3));
  drawn.visible = places.length > 0;
}
