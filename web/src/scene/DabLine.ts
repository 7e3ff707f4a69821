import { gatherDab } from '@judoka/core/operations/paint';
import { falloffOf } from '../settings/uiSettings.ts';
import type { GestureContext } from './gesture.ts';
import type { StageHit } from './picking/StageSight.ts';
import type { ScenePart } from './ScenePart.ts';
import type { Spot } from './spot.ts';

/** Distance between dabs, as a share of the brush's radius: a stroke does not depend on the pointer's speed. */
const DAB_SPACING = 0.22;
/** Most dabs for one piece of a stroke; beyond, they are spread wider, so that a wild swing cannot freeze the page. */
const MAX_DABS = 24;
/** Length of the line that a steadied brush hangs on. */
const STEADY_PX = 26;

/** What does something with the dabs of a stroke. */
export interface TakesDabs {
  /** A dab on the first `count` points of the part's workspace, with their falloff in its amounts. */
  dab(part: ScenePart, count: number, pressure: number, hit: StageHit, radius: number): void;
  /** Whether parts without weights of their own are meant too. */
  readonly takesFixed?: boolean;
}

/** Dabs along the pointer's path, evenly spaced on the screen. */
export class DabLine {
  readonly #context: GestureContext;
  readonly #run: TakesDabs;
  readonly #part: ScenePart;
  /** Where the brush is: drawn after the pointer on a short line, if strokes are steadied. */
  #brush: Spot;
  #last: Spot;
  #lastHit: StageHit | undefined;
  #restingOn: StageHit | undefined;

  constructor(context: GestureContext, run: TakesDabs, part: ScenePart, from: Spot) {
    this.#context = context;
    this.#run = run;
    this.#part = part;
    this.#last = this.#brush = from;
  }

  goTo(at: Spot, event: PointerEvent): void {
    const { view, callbacks } = this.#context;
    const { x, y } = callbacks.settings().steady ? this.#pull(at) : at;
    const distance = Math.hypot(x - this.#last.x, y - this.#last.y);
    const spacing = Math.max(2, this.#radiusOnScreen() * DAB_SPACING);
    if (distance < spacing) return;
    const count = Math.min(MAX_DABS, Math.floor(distance / spacing));
    const from = this.#last;
    const reach = count === MAX_DABS ? 1 : (count * spacing) / distance;
    for (let i = 1; i <= count; i++) {
      const t = (i / count) * reach;
      this.#last = { x: from.x + (x - from.x) * t, y: from.y + (y - from.y) * t };
      const hit = view.sight.pick(this.#last.x, this.#last.y);
      if (hit && this.#follows(hit)) this.dab(hit, event);
    }
  }

  /** The brush hangs on a line of some pixels: only what tightens it moves the brush. */
  #pull(at: Spot): Spot {
    const [dx, dy] = [at.x - this.#brush.x, at.y - this.#brush.y];
    const length = Math.hypot(dx, dy);
    if (length <= STEADY_PX) return this.#brush;
    const share = (length - STEADY_PX) / length;
    this.#brush = { x: this.#brush.x + dx * share, y: this.#brush.y + dy * share };
    return this.#brush;
  }

  /** A stroke along the surface stays on the part on which it began. */
  #follows({ part }: StageHit): boolean {
    return part === this.#part || this.#context.callbacks.settings().depth !== 'surface';
  }

  /** The last dab once more, if the brush has not moved since the one before. */
  again(event: PointerEvent): void {
    if (this.#lastHit && this.#lastHit === this.#restingOn) this.dab(this.#lastHit, event);
    this.#restingOn = this.#lastHit;
  }

  dab(hit: StageHit, event: PointerEvent): void {
    const { at, callbacks, view } = this.#context;
    const settings = callbacks.settings();
    const { penPressure, depth } = settings;
    const falloff = falloffOf(settings);
    // A mouse has no pressure; the standard gives it one half.
    const pressure = event.pointerType === 'pen' ? Math.max(0.05, event.pressure) : 1;
    const radius = callbacks.radius() * (penPressure === 'radius' ? pressure : 1);
    const place = { centre: hit.place, radius, falloff, depth, sight: view.sight.directionTo(hit.place) };
    const isCage = ({ part }: ScenePart): boolean => part.role === 'cage';
    // What lies within a cage is not meant where the cage is, nor the cage where that is.
    const targets =
      depth === 'surface' || isCage(hit.part)
        ? [hit.part]
        : at.scene.parts.filter((part) => part.visible && !isCage(part) && this.#takes(part.part));
    for (const part of targets) {
      const { paint, footprint: reach } = part;
      const { positions, normals } = view.sight.surfaceOf(part);
      const surface = { positions, normals, neighbours: paint.neighbours };
      const seeds = part === hit.part ? hit.corners : [];
      const count = gatherDab(surface, seeds, place, reach, paint.points, paint.amounts);
      if (this.#takes(part.part))
        this.#run.dab(part, count, penPressure === 'strength' ? pressure : 1, hit, radius);
    }
    this.#lastHit = hit;
  }

  #takes({ role }: ScenePart['part']): boolean {
    return role !== 'fixed' || this.#run.takesFixed === true;
  }

  #radiusOnScreen(): number {
    const { view, callbacks } = this.#context;
    const { camera, stageSize } = view;
    const distance = this.#lastHit?.distance ?? 1;
    return (callbacks.radius() / distance) * (camera.projectionMatrix.elements[5] / 2) * stageSize.height;
  }
}
