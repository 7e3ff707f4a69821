import { BRUSH_TOOLS, type BrushTool, gatherDab } from '@judoka/core/operations/paint';
import { brushOf } from './brush.ts';
import type { ScenePart } from '../../scene/ScenePart.ts';
import type { StrokeRun } from './StrokeRun.ts';
import { falloffOf } from '../../settings/uiSettings.ts';
import { TOOL_NAMES } from '../../settings/toolNames.ts';
import type { StageHit } from '../../scene/picking/StageSight.ts';
import { type Gesture, type GestureContext } from '../../scene/gesture.ts';
import type { Tether } from '../../scene/drawings/CursorDrawing.ts';
import type { Spot } from '../../scene/spot.ts';
import type { Editing } from '../../scene/Editing.ts';
import type { Painting } from './Painting.ts';

type StrokeContext = GestureContext<Editing & { readonly painting: Painting }>;

/** Distance between dabs, as a share of the brush's radius: a stroke does not depend on the pointer's speed. */
const DAB_SPACING = 0.22;
/** Most dabs for one piece of a stroke; beyond, they are spread wider, so that a wild swing cannot freeze the page. */
const MAX_DABS = 24;
/** Length of the line that a steadied brush hangs on. */
const STEADY_PX = 26;
const HELD_MS = 90;

/** A stroke of the brush from a place on the surface; undefined, and told why, where it cannot begin. */
export function strokeGesture(
  context: StrokeContext,
  hit: StageHit,
  from: Spot,
  event: PointerEvent,
): Gesture | undefined {
  const { at, callbacks } = context;
  const settings = callbacks.settings();
  const {
    scene: { joint },
  } = at;
  const tool = settings.tool as BrushTool;
  if (!BRUSH_TOOLS.includes(tool)) return undefined;
  if (joint < 0 && !(tool === 'restore' && settings.restoreAll)) {
    at.document.notify('Choose a joint first: in the roster, or by clicking its bone.');
    return undefined;
  }
  if (hit.part.part.role === 'fixed') {
    at.document.notify(
      `“${at.document.partName(hit.part.index)}” has no weights of its own: it moves with the node it hangs on.`,
    );
    return undefined;
  }
  let run: StrokeRun;
  try {
    run = at.painting.begin({ ...brushOf(settings, at), tool, joint }, settings.joinTouching);
  } catch (error) {
    at.document.notifyError(error);
    return undefined;
  }
  // A smear that is cured flies away from under the brush: it is met where it was.
  if (settings.holdSurface) context.view.sight.hold();
  // A key in the middle of it may choose another tool or joint.
  const isWhole = tool === 'restore' && settings.restoreAll;
  const source = tool === 'restore' ? ` from “${at.document.moments.brush.name}”` : '';
  const label = `${TOOL_NAMES[tool]}${isWhole ? '' : `, ${at.document.jointName(joint)}`}${source}`;
  const stroke = new DabLine(context, run, hit.part, from);
  stroke.dab(hit, event);
  // Smoothing goes on while the brush is held still.
  const held =
    tool === 'smooth' && !settings.singlePass ? setInterval(() => stroke.again(event), HELD_MS) : undefined;
  return {
    move(spot, moved) {
      const events = moved.getCoalescedEvents();
      for (const each of events.length > 0 ? events : [moved]) stroke.goTo(context.view.spotOf(each), each);
      const under = context.view.sight.pick(spot.x, spot.y);
      context.view.showBrush(under, callbacks.radius());
      context.view.showTether(under && tetherOf(under, callbacks.radius()));
      callbacks.hover(under && { ...spot, hit: under });
    },
    end() {
      clearInterval(held);
      context.view.sight.letGo();
      context.view.showTether(undefined);
      endStroke(at, label);
    },
  };
}

/** From where the brush meets the surface to where the weights have brought it meanwhile, if that is elsewhere. */
function tetherOf({ place, point, part }: StageHit, radius: number): Tether | undefined {
  const now = [0, 1, 2].map((k) => part.skin.positions[point * 3 + k]);
  const far = Math.hypot(...now.map((x, k) => x - place[k]));
  return far > radius ? [...place, ...now] : undefined;
}

/** Dabs along the pointer's path, evenly spaced on the screen. */
class DabLine {
  readonly #context: StrokeContext;
  readonly #run: StrokeRun;
  readonly #part: ScenePart;
  /** Where the brush is: drawn after the pointer on a short line, if strokes are steadied. */
  #brush: Spot;
  #last: Spot;
  #lastHit: StageHit | undefined;
  #restingOn: StageHit | undefined;

  constructor(context: StrokeContext, run: StrokeRun, part: ScenePart, from: Spot) {
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
    const targets =
      depth === 'surface'
        ? [hit.part]
        : at.scene.parts.filter(({ visible, part }) => visible && part.role === 'skinned');
    for (const part of targets) {
      const { paint, footprint: reach } = part;
      const { positions, normals } = view.sight.surfaceOf(part);
      const surface = { positions, normals, neighbours: paint.neighbours };
      const seeds = part === hit.part ? hit.corners : [];
      const count = gatherDab(surface, seeds, place, reach, paint.points, paint.amounts);
      if (part.part.role === 'skinned') this.#run.dab(part, count, penPressure === 'strength' ? pressure : 1);
    }
    this.#lastHit = hit;
  }

  #radiusOnScreen(): number {
    const { view, callbacks } = this.#context;
    const { camera, stageSize } = view;
    const distance = this.#lastHit?.distance ?? 1;
    return (callbacks.radius() / distance) * (camera.projectionMatrix.elements[5] / 2) * stageSize.height;
  }
}

function endStroke(at: StrokeContext['at'], label: string): void {
  const report = at.painting.end(label);
  if (!report) return;
  const told: string[] = [];
  const points = (n: number): string => (n === 1 ? '1 point' : `${n.toLocaleString('en')} points`);
  if (report.noReceiver > 0)
    told.push(`${points(report.noReceiver)} kept the weight: no other influence could take it`);
  if (report.lockedShort > 0)
    told.push(`${points(report.lockedShort)} got less: locked joints hold the rest`);
  if (report.dropped > 0)
    told.push(`${points(report.dropped)} lost the smallest influence to stay within the limit`);
  if (report.unmirrored > 0)
    told.push(`${points(report.unmirrored)} had no counterpart, so the other side stays there`);
  if (told.length > 0) at.document.notify(`${told.join('. ')}.`);
}
