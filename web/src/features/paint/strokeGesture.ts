import { BRUSH_TOOLS, type BrushTool } from '@judoka/core/operations/paint';
import { brushOf } from './brush.ts';
import type { MaskPainting } from './MaskPainting.ts';
import type { MaskRun } from './MaskRun.ts';
import type { StrokeRun } from './StrokeRun.ts';
import { TOOL_NAMES } from '../../settings/toolNames.ts';
import { DabLine } from '../../scene/DabLine.ts';
import type { StageHit } from '../../scene/picking/StageSight.ts';
import { refuseFixed } from '../../scene/refuseFixed.ts';
import { type Gesture, type GestureContext } from '../../scene/gesture.ts';
import type { Tether } from '../../scene/drawings/CursorDrawing.ts';
import type { Spot } from '../../scene/spot.ts';
import type { Editing } from '../../scene/Editing.ts';
import type { Painting } from './Painting.ts';

type StrokeContext = GestureContext<Editing & { readonly painting: Painting; readonly masks: MaskPainting }>;

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
  if (at.masks.current) return maskGesture(context, hit, from, event, tool);
  if (joint < 0 && !(tool === 'restore' && settings.restoreAll)) {
    at.document.notify('Choose a joint first: in the roster, or by clicking its bone.');
    return undefined;
  }
  if (refuseFixed(at, hit.part)) return undefined;
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
      const under = goOn(context, stroke, spot, moved);
      context.view.showTether(under && tetherOf(under, callbacks.radius()));
    },
    end() {
      clearInterval(held);
      context.view.sight.letGo();
      context.view.showTether(undefined);
      endStroke(at, label);
    },
  };
}

/** Goes on with a stroke to where the pointer is now. @returns what is under it */
function goOn(
  { view, callbacks }: StrokeContext,
  stroke: DabLine,
  spot: Spot,
  moved: PointerEvent,
): StageHit | undefined {
  const events = moved.getCoalescedEvents();
  for (const each of events.length > 0 ? events : [moved]) stroke.goTo(view.spotOf(each), each);
  const under = view.sight.pick(spot.x, spot.y);
  view.showBrush(under, callbacks.radius());
  callbacks.hover(under && { ...spot, hit: under });
  return under;
}

/** The same on the mask that is painted. */
function maskGesture(
  context: StrokeContext,
  hit: StageHit,
  from: Spot,
  event: PointerEvent,
  tool: BrushTool,
): Gesture | undefined {
  const { at, callbacks } = context;
  if (tool === 'restore') {
    at.document.notify('A mask is brought back by undoing, or from the history.');
    return undefined;
  }
  const settings = callbacks.settings();
  let run: MaskRun;
  try {
    run = at.masks.begin({ ...brushOf(settings, at), tool, allInfluences: false });
  } catch (error) {
    at.document.notifyError(error);
    return undefined;
  }
  const stroke = new DabLine(context, run, hit.part, from);
  stroke.dab(hit, event);
  const held =
    tool === 'smooth' && !settings.singlePass ? setInterval(() => stroke.again(event), HELD_MS) : undefined;
  return {
    move(spot, moved) {
      goOn(context, stroke, spot, moved);
    },
    end() {
      clearInterval(held);
      at.masks.end(TOOL_NAMES[tool]);
    },
  };
}

/** From where the brush meets the surface to where the weights have brought it meanwhile, if that is elsewhere. */
function tetherOf({ place, point, part }: StageHit, radius: number): Tether | undefined {
  const now = [0, 1, 2].map((k) => part.skin.positions[point * 3 + k]);
  const far = Math.hypot(...now.map((x, k) => x - place[k]));
  return far > radius ? [...place, ...now] : undefined;
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
