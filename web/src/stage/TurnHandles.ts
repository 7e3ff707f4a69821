import {
  BufferGeometry,
  Float32BufferAttribute,
  Group,
  Line,
  LineBasicMaterial,
  Matrix4,
  Quaternion,
  Vector3,
  type Camera,
} from 'three';
import { turned, type Axis, type JointPose } from '@judoka/core';
import { AXIS_COLOURS } from '../theme/tokens.ts';
import { srgb } from './clay.ts';

const AXES: readonly Axis[] = ['x', 'y', 'z'];
const SIDES = 72;
const NEAR_PX = 8;
/** Radius of the handles on the screen. */
const RADIUS_PX = 62;

interface Drag {
  readonly axis: Axis;
  readonly start: JointPose;
  /** On the screen: from the joint toward where the drag began, turned a quarter: the way that turns on. */
  readonly along: { x: number; y: number };
  readonly from: { x: number; y: number };
}

/** Three rings around the chosen joint, one an axis of its own frame; dragging a ring turns the joint about it. */
export class TurnHandles {
  readonly group = new Group();
  readonly #rings = new Map<Axis, Line>();
  #drag: Drag | undefined;
  #turn = 0;

  constructor() {
    for (const axis of AXES) {
      const material = new LineBasicMaterial({
        depthTest: false,
        transparent: true,
        opacity: 0.9,
        toneMapped: false,
      });
      material.color = srgb(AXIS_COLOURS[axis]).convertSRGBToLinear();
      const ring = new Line(new BufferGeometry().setAttribute('position', ringAttribute(axis)), material);
      ring.frustumCulled = false;
      ring.renderOrder = 12;
      this.#rings.set(axis, ring);
      this.group.add(ring);
    }
  }

  get axis(): Axis | undefined {
    return this.#drag?.axis;
  }

  /** Degrees turned in this drag. */
  get degrees(): number {
    return this.#turn;
  }

  /** Puts the rings around a joint, as large on the screen from near and far. */
  place(world: Float32Array, joint: number, camera: Camera, height: number): void {
    const m = world.subarray(joint * 16, joint * 16 + 16);
    this.group.position.set(m[12], m[13], m[14]);
    const x = new Vector3(m[0], m[1], m[2]).normalize();
    const y = new Vector3(m[4], m[5], m[6]).normalize();
    const z = new Vector3(m[8], m[9], m[10]).normalize();
    this.group.matrixWorldNeedsUpdate = true;
    this.group.quaternion.copy(quaternionOfAxes(x, y, z));
    const view = this.group.position.clone().applyMatrix4(camera.matrixWorldInverse);
    const perPixel = (2 * -view.z) / (camera.projectionMatrix.elements[5] * height);
    this.group.scale.setScalar(perPixel * RADIUS_PX);
    this.group.updateMatrixWorld();
  }

  highlight(axis: Axis | undefined): void {
    for (const [each, ring] of this.#rings) {
      (ring.material as LineBasicMaterial).opacity = axis === undefined ? 0.9 : each === axis ? 1 : 0.25;
    }
  }

  /** The axis whose ring lies under a place on the canvas. */
  pick(x: number, y: number, camera: Camera, width: number, height: number): Axis | undefined {
    let best: Axis | undefined;
    let least = NEAR_PX;
    for (const axis of AXES) {
      for (const spot of this.#screenRing(axis, camera, width, height)) {
        const distance = Math.hypot(spot.x - x, spot.y - y);
        if (distance < least) [best, least] = [axis, distance];
      }
    }
    return best;
  }

  begin(
    axis: Axis,
    start: JointPose,
    x: number,
    y: number,
    camera: Camera,
    width: number,
    height: number,
  ): void {
    // Along the ring on the screen, at the place that was taken: the next spot minus this one.
    const ring = this.#screenRing(axis, camera, width, height);
    let nearest = 0;
    ring.forEach((spot, i) => {
      if (Math.hypot(spot.x - x, spot.y - y) < Math.hypot(ring[nearest].x - x, ring[nearest].y - y))
        nearest = i;
    });
    const next = ring[(nearest + 1) % ring.length];
    const [dx, dy] = [next.x - ring[nearest].x, next.y - ring[nearest].y];
    const length = Math.hypot(dx, dy) || 1;
    this.#drag = { axis, start, along: { x: dx / length, y: dy / length }, from: { x, y } };
    this.#turn = 0;
  }

  /** The joint's pose while the pointer is here. `steps`: in whole fives of degrees. */
  drag(x: number, y: number, steps: boolean): JointPose | undefined {
    if (!this.#drag) return undefined;
    const { axis, start, along, from } = this.#drag;
    const way = (x - from.x) * along.x + (y - from.y) * along.y;
    const degrees = (way / RADIUS_PX) * (180 / Math.PI);
    this.#turn = steps ? Math.round(degrees / 5) * 5 : Math.round(degrees * 2) / 2;
    return turned(start, axis, this.#turn);
  }

  end(): void {
    this.#drag = undefined;
    this.highlight(undefined);
  }

  dispose(): void {
    for (const ring of this.#rings.values()) {
      ring.geometry.dispose();
      (ring.material as LineBasicMaterial).dispose();
    }
  }

  #screenRing(axis: Axis, camera: Camera, width: number, height: number): { x: number; y: number }[] {
    const position = (this.#rings.get(axis) as Line).geometry.getAttribute('position');
    return Array.from({ length: SIDES }, (_, i) => {
      const v = new Vector3()
        .fromBufferAttribute(position, i)
        .applyMatrix4(this.group.matrixWorld)
        .project(camera);
      return { x: ((v.x + 1) / 2) * width, y: ((1 - v.y) / 2) * height };
    });
  }
}

/** A circle of radius one about an axis, turning on by the right-hand rule. */
function ringAttribute(axis: Axis): Float32BufferAttribute {
  const [a, b] = { x: [1, 2], y: [2, 0], z: [0, 1] }[axis];
  const places: number[] = [];
  for (let i = 0; i <= SIDES; i++) {
    const place = [0, 0, 0];
    place[a] = Math.cos((2 * Math.PI * i) / SIDES);
    place[b] = Math.sin((2 * Math.PI * i) / SIDES);
    places.push(...place);
  }
  return new Float32BufferAttribute(places, 3);
}

function quaternionOfAxes(x: Vector3, y: Vector3, z: Vector3): Quaternion {
  // A mirrored frame has no quaternion; the third axis is made to fit.
  const right = new Vector3().crossVectors(x, y);
  return new Quaternion().setFromRotationMatrix(new Matrix4().makeBasis(x, y, right.dot(z) < 0 ? right : z));
}
