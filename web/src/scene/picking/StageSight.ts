import { gatherFootprint } from '@judoka/core/operations/paint';
import { Matrix4, type PerspectiveCamera, Plane, Raycaster, Vector2, Vector3 } from 'three';
import type { PartDrawing } from '../drawings/PartDrawing.ts';
import type { ScenePart } from '../ScenePart.ts';
import type { Spot } from '../spot.ts';
import type { HeldSurface, Hit } from './Picker.ts';

/** A hit, and the part on which it lies. */
export type StageHit = Hit & { readonly part: ScenePart };

/** What is needed of a part to pick on it. */
type Pickable = Pick<PartDrawing, 'part' | 'picker'>;

/** Where the joints of a drawing are. */
const PAGE = new Plane(new Vector3(0, 0, 1), 0);

/** What lies under a place of the stage, and where the scene's places lie on it; all in pixels of the stage. */
export class StageSight {
  readonly #parts: readonly Pickable[];
  readonly #camera: PerspectiveCamera;
  readonly #size: () => { readonly width: number; readonly height: number };
  readonly #layerOrder: (() => readonly number[]) | undefined;

  /** @param layerOrder of a drawing: its parts from back to front */
  constructor(
    parts: readonly Pickable[],
    camera: PerspectiveCamera,
    size: () => { readonly width: number; readonly height: number },
    layerOrder?: () => readonly number[],
  ) {
    this.#layerOrder = layerOrder;
    this.#parts = parts;
    this.#camera = camera;
    this.#size = size;
  }

  /** Picks on the surface as it is now, however weights move it, until it is let go. */
  hold(): void {
    for (const { part, picker } of this.#parts) if (part.visible) picker.hold();
  }

  letGo(): void {
    for (const { picker } of this.#parts) picker.letGo();
  }

  /** The surface that is picked on: as it is drawn, or as it is held. */
  surfaceOf(part: ScenePart): HeldSurface {
    return this.#parts.find((each) => each.part === part)?.picker.held ?? part.skin;
  }

  /** What lies under a place of the stage, on the visible parts. */
  pick(x: number, y: number): StageHit | undefined {
    if (x > this.#size().width) return undefined;
    const caster = this.#casterAt(x, y);
    let nearest: StageHit | undefined;
    const order = this.#layerOrder?.();
    const isBefore = (hit: Hit, part: ScenePart, than: StageHit): boolean =>
      order ? order.indexOf(part.index) > order.indexOf(than.part.index) : hit.distance < than.distance;
    for (const { part, picker } of this.#parts) {
      if (!part.visible) continue;
      const hit = picker.pick(caster.ray);
      if (hit && (!nearest || isBefore(hit, part, nearest))) nearest = { ...hit, part };
    }
    return nearest;
  }

  /**
   * The middle of the body under a place: half way between where the line of sight enters and leaves it. Of all parts
   * the one is meant that has most points there is: clothes are not the body. Of a drawing: a place of the page.
   */
  middleOfBody(x: number, y: number): [number, number, number] | undefined {
    const caster = this.#casterAt(x, y);
    if (this.#layerOrder) return caster.ray.intersectPlane(PAGE, new Vector3())?.toArray();
    const bodies = this.#parts
      .filter(({ part }) => part.visible)
      .sort((a, b) => b.part.part.pointCount - a.part.part.pointCount);
    for (const { picker } of bodies) {
      const [enters, leaves] = picker.distances(caster.ray);
      if (leaves > enters) return caster.ray.at((enters + leaves) / 2, new Vector3()).toArray();
    }
    return undefined;
  }

  /** Where a spot lies on the surface; beside it, in the plane of the picture through a place. */
  placeBeside(at: Spot, through: readonly [number, number, number]): [number, number, number] {
    const hit = this.pick(at.x, at.y);
    if (hit) return hit.place;
    const caster = this.#casterAt(at.x, at.y);
    const plane = new Plane().setFromNormalAndCoplanarPoint(
      this.#camera.getWorldDirection(new Vector3()),
      new Vector3(...through),
    );
    return (caster.ray.intersectPlane(plane, new Vector3()) ?? new Vector3(...through)).toArray();
  }

  /** The direction of sight to a place. */
  directionTo([x, y, z]: readonly [number, number, number]): [number, number, number] {
    return new Vector3(x, y, z).sub(this.#camera.position).normalize().toArray();
  }

  /** Projection · view: how the scene falls on the stage. */
  projection(): number[] {
    this.#camera.updateMatrixWorld();
    return new Matrix4().multiplyMatrices(this.#camera.projectionMatrix, this.#camera.matrixWorldInverse)
      .elements;
  }

  /** The points of the hit's part that a brush of this radius touches along the surface. */
  pointsUnder({ part, place, corners }: StageHit, radius: number): Uint32Array {
    const { skin, paint, footprint } = part;
    const tip = { centre: place, radius, falloff: 'flat' as const };
    const count = gatherFootprint(
      skin.positions,
      paint.neighbours,
      corners,
      tip,
      footprint,
      paint.points,
      paint.amounts,
    );
    return paint.points.slice(0, count).sort();
  }

  /** Where a point lies on the stage, in pixels; undefined behind the eye. */
  spotOfPoint(part: number, point: number): Spot | undefined {
    const { positions } = this.#parts[part].part.skin;
    const { width, height } = this.#size();
    const at = new Vector3(positions[point * 3], positions[point * 3 + 1], positions[point * 3 + 2]).project(
      this.#camera,
    );
    if (at.z > 1) return undefined;
    return { x: ((at.x + 1) / 2) * width, y: ((1 - at.y) / 2) * height };
  }

  #casterAt(x: number, y: number): Raycaster {
    const { width, height } = this.#size();
    const caster = new Raycaster();
    this.#camera.updateMatrixWorld();
    caster.setFromCamera(new Vector2((x / width) * 2 - 1, 1 - (y / height) * 2), this.#camera);
    return caster;
  }
}
