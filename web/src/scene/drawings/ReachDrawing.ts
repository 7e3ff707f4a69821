import {
  BufferGeometry,
  Float32BufferAttribute,
  Group,
  LineBasicMaterial,
  LineLoop,
  Vector3,
  type Camera,
} from 'three';
import type { JointReach } from '@judoka/core/document';
import type { JointBones } from '@judoka/core/operations/bind';
import type { Events } from '../../document/events.ts';
import type { Tokens } from '../../ui/theme/tokens.ts';
import { srgb } from './clay.ts';
import type { Spot } from '../spot.ts';
import type { Editing } from '../Editing.ts';

/** Reaches that can be drawn and dragged. */
export interface ReachSource {
  readonly events: Events<'changed'>;
  readonly reaches: ReadonlyMap<number, JointReach>;
  bonesOf(joint: number): JointBones;
}

type At = Editing & { readonly reachTool: ReachSource };

export type ReachEdge = 'inner' | 'outer';

const NEAR_PX = 8;
const HALF_SIDES = 20;

interface Outline {
  readonly edge: ReachEdge;
  readonly loop: LineLoop<BufferGeometry, LineBasicMaterial>;
  /** The bone: where it begins and ends. */
  readonly from: Vector3;
  readonly to: Vector3;
}

/** The chosen joint's reach: the outlines of its capsules as the camera sees them, inner and outer. */
export class ReachDrawing {
  readonly group = new Group();
  readonly #at: At;
  readonly #tokens: Tokens;
  #outlines: Outline[] = [];

  constructor(at: At, tokens: Tokens) {
    this.#at = at;
    this.#tokens = tokens;
  }

  get reach(): JointReach | undefined {
    const {
      reachTool: reaching,
      scene: { joint },
    } = this.#at;
    return reaching.reaches.get(joint);
  }

  /** Draws the capsules anew for this camera. */
  update(camera: Camera): void {
    this.#clear();
    const { reach } = this;
    if (!reach) return;
    const bones = this.#at.reachTool.bonesOf(this.#at.scene.joint);
    for (let o = 0; o < bones.length; o += 6) {
      const from = new Vector3(bones[o], bones[o + 1], bones[o + 2]);
      const to = new Vector3(bones[o + 3], bones[o + 4], bones[o + 5]);
      for (const edge of ['inner', 'outer'] as const) this.#add(edge, from, to, reach[edge], camera);
    }
  }

  /** The edge that lies under a place on the canvas. */
  pick(at: Spot, camera: Camera, width: number, height: number): ReachEdge | undefined {
    let best: ReachEdge | undefined;
    let least = NEAR_PX;
    for (const { edge, loop } of this.#outlines) {
      const position = loop.geometry.getAttribute('position');
      const spots = Array.from({ length: position.count }, (_, i) =>
        toScreen(new Vector3().fromBufferAttribute(position, i), camera, width, height),
      );
      spots.forEach((a, i) => {
        const far = distanceToSegment(at, a, spots[(i + 1) % spots.length]);
        if (far < least) [best, least] = [edge, far];
      });
    }
    return best;
  }

  /** How far, in scene units, a place on the canvas lies from the nearest of the bones, in the plane of the picture. */
  radiusAt(at: Spot, camera: Camera, width: number, height: number): number {
    let least = Infinity;
    for (const { from, to } of this.#outlines) {
      const pixels = distanceToSegment(
        at,
        toScreen(from.clone(), camera, width, height),
        toScreen(to.clone(), camera, width, height),
      );
      const depth = -from.clone().add(to).multiplyScalar(0.5).applyMatrix4(camera.matrixWorldInverse).z;
      const perPixel = (2 * depth) / (camera.projectionMatrix.elements[5] * height);
      least = Math.min(least, pixels * perPixel);
    }
    return least;
  }

  dispose(): void {
    this.#clear();
  }

  #add(edge: ReachEdge, from: Vector3, to: Vector3, radius: number, camera: Camera): void {
    const eye = new Vector3().setFromMatrixPosition(camera.matrixWorld).sub(from).normalize();
    const along = to.clone().sub(from).normalize();
    const side = along.clone().cross(eye).normalize();
    if (side.lengthSq() < 0.5) side.set(1, 0, 0);
    // Where the bone points at the eye its ends are still round.
    const forth = eye.clone().cross(side).normalize();
    if (forth.dot(along) < 0) forth.negate();
    const places: number[] = [];
    for (const [centre, turn] of [
      [to, 1],
      [from, -1],
    ] as const) {
      for (let i = 0; i <= HALF_SIDES; i++) {
        const angle = (Math.PI * i) / HALF_SIDES;
        const at = centre
          .clone()
          .addScaledVector(side, radius * Math.cos(angle) * turn)
          .addScaledVector(forth, radius * Math.sin(angle) * turn);
        places.push(...at.toArray());
      }
    }
    const material = new LineBasicMaterial({
      depthTest: false,
      transparent: true,
      opacity: edge === 'inner' ? 1 : 0.55,
      toneMapped: false,
    });
    material.color = srgb(this.#tokens.accent).convertSRGBToLinear();
    const loop = new LineLoop(
      new BufferGeometry().setAttribute('position', new Float32BufferAttribute(places, 3)),
      material,
    );
    loop.frustumCulled = false;
    loop.renderOrder = 12;
    this.#outlines.push({ edge, loop, from, to });
    this.group.add(loop);
  }

  #clear(): void {
    for (const { loop } of this.#outlines) {
      loop.geometry.dispose();
      loop.material.dispose();
    }
    this.group.clear();
    this.#outlines = [];
  }
}

function toScreen(at: Vector3, camera: Camera, width: number, height: number): Spot {
  at.project(camera);
  return { x: ((at.x + 1) / 2) * width, y: ((1 - at.y) / 2) * height };
}

/** Distance, on the screen, from a place to a stroke. */
export function distanceToSegment({ x, y }: Spot, a: Spot, b: Spot): number {
  const [dx, dy] = [b.x - a.x, b.y - a.y];
  const squared = dx * dx + dy * dy;
  const t = squared > 0 ? Math.max(0, Math.min(1, ((x - a.x) * dx + (y - a.y) * dy) / squared)) : 0;
  return Math.hypot(x - a.x - t * dx, y - a.y - t * dy);
}
