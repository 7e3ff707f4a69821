import { Box3, MOUSE, PerspectiveCamera, TOUCH, Vector3 } from 'three';
import { OrbitControls } from 'three/examples/jsm/controls/OrbitControls.js';
import type { Editing } from './Editing.ts';

type At = Editing;

/** The stage's camera: what it looks at, and the hand's ways to move it. */
export class StageCamera {
  readonly eye = new PerspectiveCamera(32, 1, 0.01, 100);
  readonly controls: OrbitControls;
  readonly #at: At;
  #aimed = false;

  /** @param moved called whenever it looks from elsewhere, or at something else */
  constructor(canvas: HTMLCanvasElement, at: At, moved: () => void) {
    this.#at = at;
    const controls = new OrbitControls(this.eye, canvas);
    controls.mouseButtons = { LEFT: null, MIDDLE: MOUSE.PAN, RIGHT: MOUSE.ROTATE };
    // One finger paints; two move the camera.
    controls.touches = { ONE: null, TWO: TOUCH.DOLLY_ROTATE };
    controls.zoomToCursor = true;
    controls.enableDamping = false;
    controls.addEventListener('start', () => (this.#aimed = true));
    controls.addEventListener('change', moved);
    this.controls = controls;
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
    // Half of what must fit upright: the height, or the width if the stage is narrow for it.
    const half = Math.max(size.y, Math.hypot(size.x, size.z) / Math.max(0.5, this.eye.aspect)) / 2;
    // What is nearer to the camera than the middle looks larger.
    const depth = Math.hypot(size.x, size.z) / 2;
    this.#lookAt(box.getCenter(new Vector3()), half * 1.04 + depth * 0.12, new Vector3(0.75, 0.14, 1));
  }

  /** Looks at the chosen joint from where the camera is. */
  frameJoint(): void {
    const {
      scene: { joint, world, strip },
    } = this.#at;
    if (joint < 0) return;
    this.#aimed = true;
    const centre = new Vector3(world[joint * 16 + 12], world[joint * 16 + 13], world[joint * 16 + 14]);
    this.#lookAt(centre, strip.reach * 1.4, this.#side());
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

  #side(): Vector3 {
    return this.eye.position.clone().sub(this.controls.target);
  }

  #lookAt(centre: Vector3, radius: number, from: Vector3): void {
    const distance = radius / Math.tan((this.eye.fov * Math.PI) / 360);
    this.eye.near = distance / 200;
    this.eye.far = distance * 20;
    this.eye.position.copy(centre).addScaledVector(from.normalize(), distance);
    this.controls.target.copy(centre);
    this.eye.updateProjectionMatrix();
    this.controls.update();
  }
}

const placeOf = (positions: Float32Array, p: number): Vector3 =>
  new Vector3(positions[p * 3], positions[p * 3 + 1], positions[p * 3 + 2]);
