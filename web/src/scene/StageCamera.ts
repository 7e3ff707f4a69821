import { bodyDirections } from '@judoka/core/animation';
import { liveJoints, restPlaces, subtreeOf } from '@judoka/core/skeleton';
import { Box3, MOUSE, PerspectiveCamera, TOUCH, Vector3 } from 'three';
import { OrbitControls } from 'three/examples/jsm/controls/OrbitControls.js';
import type { Editing } from './Editing.ts';
import type { Look } from './stageActions.ts';

type At = Editing;

/** Degrees of the upright field of view. */
const FOV = 32;
const STRAIGHT_FOV = 1;
/** How much of the stage what is looked at takes. */
const FILLED = 2 / 3;

/** Where a camera looks from and at. */
export interface CameraPlace {
  /** Whether a person has chosen it: else the whole character is kept in view. */
  readonly aimed: boolean;
  readonly fov: number;
  readonly position: readonly [number, number, number];
  readonly target: readonly [number, number, number];
}

/** The stage's camera: what it looks at, and the hand's ways to move it. */
export class StageCamera {
  readonly eye = new PerspectiveCamera(FOV, 1, 0.01, 100);
  readonly controls: OrbitControls;
  readonly #at: At;
  #aimed = false;
  /** Where the character stood when the camera last went along; undefined while it does not. */
  #alongFrom: Vector3 | undefined;

  /**
   * @param moved called whenever it looks from elsewhere, or at something else
   * @param held  where an earlier camera looked, to go on from there
   */
  constructor(canvas: HTMLCanvasElement, at: At, moved: () => void, held?: CameraPlace) {
    this.#at = at;
    this.eye.up.set(...at.document.up);
    const controls = new OrbitControls(this.eye, canvas);
    const turns = !this.#isFlat;
    controls.mouseButtons = { LEFT: null, MIDDLE: MOUSE.PAN, RIGHT: turns ? MOUSE.ROTATE : MOUSE.PAN };
    // One finger paints; two move the camera.
    controls.touches = { ONE: null, TWO: turns ? TOUCH.DOLLY_ROTATE : TOUCH.DOLLY_PAN };
    controls.enableRotate = turns;
    if (this.#isFlat) this.eye.fov = STRAIGHT_FOV;
    controls.zoomToCursor = true;
    controls.enableDamping = false;
    controls.addEventListener('start', () => (this.#aimed = true));
    controls.addEventListener('change', () => {
      this.#bound();
      moved();
    });
    this.controls = controls;
    if (!held?.aimed) return;
    this.#aimed = true;
    this.eye.fov = held.fov;
    this.eye.position.set(...held.position);
    controls.target.set(...held.target);
    controls.update();
  }

  /** Where it looks, for a camera that takes its place. */
  get place(): CameraPlace {
    return {
      aimed: this.#aimed,
      fov: this.eye.fov,
      position: this.eye.position.toArray(),
      target: this.controls.target.toArray(),
    };
  }

  /** A flat character is looked at from the front, without perspective. */
  get #isFlat(): boolean {
    return this.#at.document.character.drawing !== undefined;
  }

  dispose(): void {
    this.controls.dispose();
  }

  /** The stage has another shape. */
  fit(width: number, height: number): void {
    this.eye.aspect = width / Math.max(1, height);
    this.eye.updateProjectionMatrix();
    // Until the person has moved the camera, the character is kept whole in view.
    if (!this.#aimed) this.frameAll();
  }

  /** Looks at the whole character from the front, a little from the side. */
  frameAll(): void {
    const box = new Box3();
    for (const { visible, skin } of this.#at.scene.parts)
      if (visible) box.union(new Box3().setFromArray(skin.positions));
    if (box.isEmpty()) return;
    const size = box.getSize(new Vector3());
    const { up, forward, left } = this.#frame();
    const height = Math.abs(size.dot(up));
    const width = Math.sqrt(Math.max(0, size.lengthSq() - height * height));
    // Half of what must fit upright: the height, or the width if the stage is narrow for it.
    const half = Math.max(height, width / Math.max(0.5, this.eye.aspect)) / 2;
    const from = forward.clone();
    if (!this.#isFlat) from.addScaledVector(left, 0.75).addScaledVector(up, 0.14);
    // What is nearer to the camera than the middle looks larger.
    this.#lookAt(box.getCenter(new Vector3()), half * 1.04 + width * 0.06, from);
  }

  /** How the scene stands: the format's own directions, or about the one that a person calls up. */
  #frame(): { up: Vector3; forward: Vector3; left: Vector3 } {
    const up = new Vector3(...this.#at.document.up);
    const left = new Vector3(Math.abs(up.x) > 0.5 ? 0 : 1, 0, Math.abs(up.x) > 0.5 ? 1 : 0);
    return { up, left, forward: new Vector3().crossVectors(left, up) };
  }

  /** Looks at the chosen joint from where the camera is. */
  frameJoint(): void {
    const {
      scene: { joint, world, strip },
    } = this.#at;
    if (joint < 0) return;
    this.#aimed = true;
    const moved = this.#movedBy(joint);
    if (moved.length > 0) {
      this.#fill(moved);
      return;
    }
    const centre = new Vector3(world[joint * 16 + 12], world[joint * 16 + 13], world[joint * 16 + 14]);
    this.#lookAt(centre, strip.reach * 1.4, this.#side());
  }

  /** Looks from there at what it looks at; from the other side, where it looks from there already. */
  look(from: Look): void {
    if (this.#isFlat) return;
    const { skeleton, pairs } = this.#at.document;
    const { forward, left, up } = bodyDirections(
      skeleton,
      restPlaces(skeleton),
      pairs,
      undefined,
      this.#at.document.givenUp,
    );
    const wanted = new Vector3(...{ front: forward, side: left, back: forward, above: up }[from]);
    if (from === 'back') wanted.negate();
    // Straight down there is no telling which way is up in the picture.
    if (from === 'above') wanted.addScaledVector(new Vector3(...forward), 1e-3);
    const turns = from === 'side' || from === 'above';
    if (turns && this.#side().normalize().dot(wanted.clone().normalize()) > 0.999) wanted.negate();
    this.#aimed = true;
    this.#lookAt(this.controls.target.clone(), this.radius, wanted);
  }

  /** How much is seen about what it looks at: half of the height. */
  get radius(): number {
    return this.#side().length() * Math.tan((this.eye.fov * Math.PI) / 360);
  }

  /** Without perspective it looks from so far away that lines of sight are as good as straight. */
  setStraight(isStraight: boolean): void {
    const fov = isStraight ? STRAIGHT_FOV : FOV;
    if (fov === this.eye.fov || this.#isFlat) return;
    const radius = this.radius;
    this.eye.fov = fov;
    this.#lookAt(this.controls.target.clone(), radius, this.#side());
  }

  /** Where the shown points stand that a joint moves: by its own weight, or by what hangs on it where it has none. */
  #movedBy(joint: number): Vector3[] {
    const own = this.#following(new Set([joint]));
    return own.length > 0 ? own : this.#following(new Set(subtreeOf(this.#at.document.skeleton, joint)));
  }

  /** Where the shown points stand that follow some joints for more than a tenth. */
  #following(joints: ReadonlySet<number>): Vector3[] {
    const { scene } = this.#at;
    const found: Vector3[] = [];
    for (const { visible, hidden, part, skin } of scene.parts) {
      if (!visible || part.role !== 'skinned') continue;
      const { rows } = skin;
      for (let p = 0; p < part.pointCount; p++) {
        if (hidden?.[p]) continue;
        let share = 0;
        for (let k = p * rows.stride; k < (p + 1) * rows.stride && rows.values[k] > 0; k++)
          if (joints.has(rows.joints[k])) share += rows.values[k];
        if (share > 0.1) found.push(placeOf(skin.positions, p));
      }
    }
    return found;
  }

  /** Looks at places from where the camera is, so that they take two thirds of the stage. */
  #fill(places: readonly Vector3[]): void {
    const side = this.#side().normalize();
    const across = new Vector3().crossVectors(this.eye.up, side).normalize();
    const upright = new Vector3().crossVectors(side, across);
    const axes = [across, upright, side];
    const [x, y, z] = axes.map((axis) => {
      let [least, most] = [Infinity, -Infinity];
      for (const place of places) {
        const along = place.dot(axis);
        least = Math.min(least, along);
        most = Math.max(most, along);
      }
      return { middle: (least + most) / 2, half: (most - least) / 2 };
    });
    const centre = new Vector3()
      .addScaledVector(across, x.middle)
      .addScaledVector(upright, y.middle)
      .addScaledVector(side, z.middle);
    // What is nearer to the camera than the middle looks larger.
    const half = Math.max(y.half, x.half / Math.max(0.1, this.eye.aspect));
    const nearer = z.half * Math.tan((this.eye.fov * Math.PI) / 360);
    this.#lookAt(centre, Math.max(half / FILLED + nearer, 1e-3 * this.#at.document.size), side);
  }

  /** Orbits about the selection from now on, and looks at it. */
  frameSelection(): void {
    const box = new Box3();
    for (const [part, points] of this.#at.scene.selection.points()) {
      const { positions } = this.#at.scene.parts[part].skin;
      for (const p of points) box.expandByPoint(placeOf(positions, p));
    }
    if (box.isEmpty()) {
      this.#at.document.notify('Select points to look at.');
      return;
    }
    this.frame(box.getCenter(new Vector3()), box.getSize(new Vector3()).length() * 0.7, 0.03);
  }

  /**
   * Looks at a place from where the camera is.
   * @param least the smallest radius that is shown, as a share of the character's size
   */
  frame(centre: Vector3, radius: number, least: number): void {
    this.#aimed = true;
    const smallest = least * this.#at.document.size;
    this.#lookAt(centre, Math.max(smallest, radius), this.#side());
  }

  /** While it goes along, it keeps its distance from the character over the ground, whatever a motion does. */
  setGoesAlong(goesAlong: boolean): void {
    // The last step leads back to where the character stands without the motion.
    if (this.#alongFrom) this.goAlong();
    this.#alongFrom = goesAlong ? this.#overGround() : undefined;
  }

  /** The character may have gone on. */
  goAlong(): void {
    if (!this.#alongFrom) return;
    const to = this.#overGround();
    const step = to.clone().sub(this.#alongFrom);
    this.#alongFrom = to;
    if (step.lengthSq() === 0) return;
    this.eye.position.add(step);
    this.controls.target.add(step);
    this.controls.update();
  }

  /** Where the character stands: the middle of its joints, without the height. */
  #overGround(): Vector3 {
    const { world } = this.#at.scene;
    const joints = liveJoints(this.#at.document.skeleton);
    const middle = new Vector3();
    for (const joint of joints) middle.add(new Vector3().fromArray(world, joint * 16 + 12));
    middle.divideScalar(Math.max(1, joints.length));
    return middle.projectOnPlane(this.eye.up);
  }

  #side(): Vector3 {
    return this.eye.position.clone().sub(this.controls.target);
  }

  #lookAt(centre: Vector3, radius: number, from: Vector3): void {
    const distance = radius / Math.tan((this.eye.fov * Math.PI) / 360);
    this.eye.position.copy(centre).addScaledVector(from.normalize(), distance);
    this.controls.target.copy(centre);
    this.controls.update();
    this.#bound();
  }

  /** Keeps what is drawn between near and far, as closely as serves depth. */
  #bound(): void {
    const distance = this.#side().length();
    const around = 12 * this.#at.document.size;
    this.eye.near = Math.max(distance / 200, distance - around);
    this.eye.far = distance + around;
    this.eye.updateProjectionMatrix();
  }
}

const placeOf = (positions: Float32Array, p: number): Vector3 =>
  new Vector3(positions[p * 3], positions[p * 3 + 1], positions[p * 3 + 2]);
