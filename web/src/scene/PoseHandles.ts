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
  type Object3D,
} from 'three';
import type { Axis } from '@judoka/core/skeleton';
import type { Tokens } from '../ui/theme/tokens.ts';
import { srgb } from './drawings/clay.ts';

export const HANDLE_MODES = ['turn', 'move', 'scale'] as const;
export type HandleMode = (typeof HANDLE_MODES)[number];
/** An axis of the frame, or the lozenge in the middle, which is bound to none. */
export type Handle = Axis | 'free';

/** What a drag has done since it began, in the scene. */
export type HandleDrag =
  | { readonly kind: 'turn'; readonly axis: [number, number, number]; readonly degrees: number }
  | { readonly kind: 'move'; readonly move: [number, number, number] }
  | { readonly kind: 'scale'; readonly factors: [number, number, number] };

interface Spot {
  readonly x: number;
  readonly y: number;
}

const HANDLES: readonly Handle[] = ['free', 'x', 'y', 'z'];
const AXES: readonly Axis[] = ['x', 'y', 'z'];
const SIDES = 72;
const NEAR_PX = 8;
/** Size of the handles on the screen. */
const RADIUS_PX = 62;
const MIDDLE = 0.13;
const MIN_FACTOR = 0.05;

interface Drag {
  readonly handle: Handle;
  readonly from: Spot;
  /** On the screen: the direction that leads on, of length one. */
  readonly along: Spot;
  /** Pixels on the screen that one unit of the axis takes. */
  readonly pixels: number;
}

/**
 * Handles about a joint, as large on the screen from near and far: rings that turn, strokes that move, strokes with a
 * bar that scale. The lozenge in the middle turns, moves or scales without an axis.
 */
export class PoseHandles {
  readonly group = new Group();
  mode: HandleMode = 'turn';
  /** Of a drawing, whose joints turn, move and scale in the page alone. */
  readonly #isFlat: boolean;
  readonly #shapes: Readonly<Record<HandleMode, ReadonlyMap<Handle, Line>>>;
  #camera: Camera | undefined;
  #height = 1;
  #perPixel = 1;
  #width = 1;
  #drag: Drag | undefined;
  #turn = 0;

  constructor(
    { ink, axisX: x, axisY: y, axisZ: z }: Pick<Tokens, 'ink' | 'axisX' | 'axisY' | 'axisZ'>,
    isFlat = false,
  ) {
    this.#isFlat = isFlat;
    const colours = { x, y, z };
    const shapes = (axisShape: (axis: Axis) => number[]): ReadonlyMap<Handle, Line> =>
      new Map<Handle, Line>([
        ['free', strokeOf(lozenge(), ink)],
        ...AXES.map((axis): [Handle, Line] => [axis, strokeOf(axisShape(axis), colours[axis])]),
      ]);
    this.#shapes = { turn: shapes(ring), move: shapes(arrow), scale: shapes(barred) };
    for (const mode of HANDLE_MODES) this.group.add(...this.#shapes[mode].values());
  }

  get handle(): Handle | undefined {
    return this.#drag?.handle;
  }

  /** Degrees turned in this drag. */
  get degrees(): number {
    return this.#turn;
  }

  /** Puts the handles about a place. @param frame a matrix whose axes they take; the scene's where missing */
  place(at: Vector3, frame: Float32Array | undefined, camera: Camera, height: number): void {
    this.#camera = camera;
    this.#height = height;
    this.group.position.copy(at);
    this.group.quaternion.copy(frame ? turnOf(frame) : new Quaternion());
    const view = at.clone().applyMatrix4(camera.matrixWorldInverse);
    this.#perPixel = (2 * -view.z) / (camera.projectionMatrix.elements[5] * height);
    this.group.scale.setScalar(this.#perPixel * RADIUS_PX);
    for (const mode of HANDLE_MODES) {
      for (const [handle, stroke] of this.#shapes[mode]) {
        stroke.visible = mode === this.mode && this.#has(handle);
        // The middle one looks at the camera.
        if (handle === 'free')
          stroke.quaternion
            .copy(this.group.quaternion)
            .invert()
            .multiply(turnOf(camera.matrixWorld.elements));
      }
    }
    this.group.updateMatrixWorld(true);
  }

  /** In the page there is no depth to move along, and one ring to turn on. */
  #has(handle: Handle): boolean {
    return !this.#isFlat || handle === 'free' || (handle === 'z') === (this.mode === 'turn');
  }

  highlight(handle: Handle | undefined): void {
    for (const [each, stroke] of this.#shapes[this.mode]) {
      (stroke.material as LineBasicMaterial).opacity =
        handle === undefined ? 0.9 : each === handle ? 1 : 0.25;
    }
  }

  /** The handle that lies under a place on the canvas. */
  pick(at: Spot, width: number): Handle | undefined {
    let best: Handle | undefined;
    let least = NEAR_PX;
    // Rings that are seen from their side run through the middle too; there, the middle is meant.
    const middle = this.#project(this.group, new Vector3(), width);
    if (Math.hypot(middle.x - at.x, middle.y - at.y) < MIDDLE * RADIUS_PX + 2) return 'free';
    for (const handle of HANDLES) {
      if (!this.#has(handle)) continue;
      for (const spot of this.#onScreen(handle, width)) {
        const distance = Math.hypot(spot.x - at.x, spot.y - at.y);
        if (distance < least) [best, least] = [handle, distance];
      }
    }
    return best;
  }

  begin(handle: Handle, from: Spot, width: number): void {
    this.#turn = 0;
    this.#width = width;
    if (handle === 'free') this.#drag = { handle, from, along: { x: 1, y: 0 }, pixels: RADIUS_PX };
    else if (this.mode === 'turn') this.#drag = { handle, from, ...this.#alongRing(handle, from, width) };
    else this.#drag = { handle, from, ...this.#alongAxis(handle, width) };
  }

  /** What the drag has done while the pointer is here. `steps`: turns in whole fives of degrees. */
  drag(at: Spot, steps: boolean): HandleDrag | undefined {
    if (!this.#drag) return undefined;
    const { handle, from, along, pixels } = this.#drag;
    const [dx, dy] = [at.x - from.x, at.y - from.y];
    const advance = dx * along.x + dy * along.y;
    if (this.mode === 'turn')
      return this.#isFlat ? this.#turnedInPage(at, steps) : this.#turned(handle, dx, dy, advance, steps);
    if (this.mode === 'move') {
      const go =
        handle === 'free'
          ? this.#inView(dx * this.#perPixel, -dy * this.#perPixel)
          : this.#axisInScene(handle).multiplyScalar((advance / pixels) * RADIUS_PX * this.#perPixel);
      return { kind: 'move', move: go.toArray() };
    }
    const factor = Math.max(MIN_FACTOR, 1 + (handle === 'free' ? dx - dy : advance) / RADIUS_PX);
    const of = (axis: Axis): number => (handle === 'free' || handle === axis ? factor : 1);
    return { kind: 'scale', factors: [of('x'), of('y'), of('z')] };
  }

  end(): void {
    this.#drag = undefined;
    this.highlight(undefined);
  }

  dispose(): void {
    for (const mode of HANDLE_MODES) {
      for (const stroke of this.#shapes[mode].values()) {
        stroke.geometry.dispose();
        (stroke.material as LineBasicMaterial).dispose();
      }
    }
  }

  #turned(handle: Handle, dx: number, dy: number, advance: number, steps: boolean): HandleDrag {
    const length = handle === 'free' ? Math.hypot(dx, dy) : advance;
    const degrees = (length / RADIUS_PX) * (180 / Math.PI);
    this.#turn = steps ? Math.round(degrees / 5) * 5 : Math.round(degrees * 2) / 2;
    // Without an axis the surface follows the pointer, as a ball would.
    const axis = handle === 'free' ? this.#inView(dy, dx).normalize() : this.#axisInScene(handle);
    return { kind: 'turn', axis: axis.toArray(), degrees: this.#turn };
  }

  /** The pointer leads the joint about: once around it is once around. */
  #turnedInPage(at: Spot, steps: boolean): HandleDrag | undefined {
    if (!this.#drag) return undefined;
    const { from } = this.#drag;
    const middle = this.#project(this.group, new Vector3(), this.#width);
    const before = Math.atan2(middle.y - from.y, from.x - middle.x);
    const after = Math.atan2(middle.y - at.y, at.x - middle.x);
    const degrees = ((((after - before) * 180) / Math.PI + 540) % 360) - 180;
    this.#turn = steps ? Math.round(degrees / 5) * 5 : Math.round(degrees * 2) / 2;
    return { kind: 'turn', axis: [0, 0, 1], degrees: this.#turn };
  }

  /** A direction of the picture, right and up, in the scene. */
  #inView(right: number, up: number): Vector3 {
    const m = (this.#camera as Camera).matrixWorld.elements;
    return new Vector3(m[0], m[1], m[2])
      .multiplyScalar(right)
      .addScaledVector(new Vector3(m[4], m[5], m[6]), up);
  }

  #axisInScene(axis: Axis): Vector3 {
    return unit(axis).applyQuaternion(this.group.quaternion);
  }

  /** Along the ring on the screen, at the place that was taken: the next spot minus this one. */
  #alongRing(axis: Axis, from: Spot, width: number): { along: Spot; pixels: number } {
    const spots = this.#onScreen(axis, width);
    let nearest = 0;
    spots.forEach((spot, i) => {
      if (
        Math.hypot(spot.x - from.x, spot.y - from.y) <
        Math.hypot(spots[nearest].x - from.x, spots[nearest].y - from.y)
      )
        nearest = i;
    });
    const next = spots[(nearest + 1) % (spots.length - 1)];
    return { along: direction(spots[nearest], next).along, pixels: RADIUS_PX };
  }

  #alongAxis(axis: Axis, width: number): { along: Spot; pixels: number } {
    const centre = this.#project(this.group, new Vector3(), width);
    const { along, length } = direction(centre, this.#project(this.group, unit(axis), width));
    // An axis that points at the eye would run away from the pointer.
    return { along, pixels: Math.max(RADIUS_PX / 4, length) };
  }

  #onScreen(handle: Handle, width: number): Spot[] {
    const stroke = this.#shapes[this.mode].get(handle) as Line;
    const position = stroke.geometry.getAttribute('position');
    return Array.from({ length: position.count }, (_, i) =>
      this.#project(stroke, new Vector3().fromBufferAttribute(position, i), width),
    );
  }

  #project(object: Object3D, at: Vector3, width: number): Spot {
    at.applyMatrix4(object.matrixWorld).project(this.#camera as Camera);
    return { x: ((at.x + 1) / 2) * width, y: ((1 - at.y) / 2) * this.#height };
  }
}

function direction(from: Spot, to: Spot): { along: Spot; length: number } {
  const length = Math.hypot(to.x - from.x, to.y - from.y);
  const by = length || 1;
  return { along: { x: (to.x - from.x) / by, y: (to.y - from.y) / by }, length };
}

function unit(axis: Axis): Vector3 {
  return new Vector3(axis === 'x' ? 1 : 0, axis === 'y' ? 1 : 0, axis === 'z' ? 1 : 0);
}

function strokeOf(places: number[], colour: string): Line {
  const material = new LineBasicMaterial({
    depthTest: false,
    transparent: true,
    opacity: 0.9,
    toneMapped: false,
  });
  material.color = srgb(colour).convertSRGBToLinear();
  const stroke = new Line(
    new BufferGeometry().setAttribute('position', new Float32BufferAttribute(places, 3)),
    material,
  );
  stroke.frustumCulled = false;
  stroke.renderOrder = 12;
  return stroke;
}

/** Two directions across an axis, turning on by the right-hand rule. */
const ACROSS: Readonly<Record<Axis, readonly [number, number]>> = { x: [1, 2], y: [2, 0], z: [0, 1] };

/** A circle of radius one about an axis. */
function ring(axis: Axis): number[] {
  const [a, b] = ACROSS[axis];
  const places: number[] = [];
  for (let i = 0; i <= SIDES; i++) {
    const place = [0, 0, 0];
    place[a] = Math.cos((2 * Math.PI * i) / SIDES);
    place[b] = Math.sin((2 * Math.PI * i) / SIDES);
    places.push(...place);
  }
  return places;
}

/** Places along an axis: near enough together to be picked anywhere on the stroke. */
function shaft(axis: Axis, to: number): number[][] {
  return Array.from({ length: 13 }, (_, i) =>
    [0, 1, 2].map((k) => ('xyz'[k] === axis ? 0.25 + ((to - 0.25) * i) / 12 : 0)),
  );
}

/** A stroke that ends in a lozenge. */
function arrow(axis: Axis): number[] {
  const [a] = ACROSS[axis];
  const along = 'xyz'.indexOf(axis);
  const at = (forth: number, aside: number): number[] =>
    [0, 1, 2].map((k) => (k === along ? forth : k === a ? aside : 0));
  return [...shaft(axis, 0.84), at(0.92, 0.07), at(1, 0), at(0.92, -0.07), at(0.84, 0)].flat();
}

/** A stroke that ends in a bar. */
function barred(axis: Axis): number[] {
  const [a] = ACROSS[axis];
  const along = 'xyz'.indexOf(axis);
  const at = (aside: number): number[] => [0, 1, 2].map((k) => (k === along ? 1 : k === a ? aside : 0));
  return [...shaft(axis, 1), at(0.09), at(-0.09)].flat();
}

function lozenge(): number[] {
  return [0, 1, 2, 3, 4].flatMap((i) => [
    MIDDLE * Math.sin((Math.PI * i) / 2),
    MIDDLE * Math.cos((Math.PI * i) / 2),
    0,
  ]);
}

function turnOf(m: ArrayLike<number>): Quaternion {
  const column = (k: number): Vector3 => new Vector3(m[k * 4], m[k * 4 + 1], m[k * 4 + 2]).normalize();
  const [x, y, z] = [column(0), column(1), column(2)];
  // A mirrored frame has no quaternion; the third axis is made to fit.
  const right = new Vector3().crossVectors(x, y);
  return new Quaternion().setFromRotationMatrix(new Matrix4().makeBasis(x, y, right.dot(z) < 0 ? right : z));
}
