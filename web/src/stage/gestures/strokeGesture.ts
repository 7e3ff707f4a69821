import { gatherReach } from '@judoka/core';
import { TOOL_NAMES } from '../../state/toolNames.ts';
import type { StageHit } from '../StageView.ts';
import { tellError, type Gesture, type GestureContext, type Spot } from './gesture.ts';

/** Distance between dabs, as a share of the brush's radius: a stroke does not depend on the pointer's speed. */
const DAB_SPACING = 0.22;
/** Most dabs for one piece of a stroke; beyond, they are spread wider, so that a wild swing cannot freeze the page. */
const MOST_DABS = 24;

/** A stroke of the brush from a place on the surface; undefined, and told why, where it cannot begin. */
export function strokeGesture(
  context: GestureContext,
  hit: StageHit,
  from: Spot,
  event: PointerEvent,
): Gesture | undefined {
  const { session, callbacks } = context;
  const { tool, strength, value, smoothAll, limit } = callbacks.settings();
  const { joint } = session;
  if (tool !== 'add' && tool !== 'take' && tool !== 'set' && tool !== 'smooth') return undefined;
  if (joint < 0) {
    session.tellPerson('Choose a joint first: in the roster, or by clicking its bone.');
    return undefined;
  }
  if (hit.part.part.role === 'fixed') {
    session.tellPerson(
      `“${hit.part.part.name}” has no weights of its own: it moves with the node it hangs on.`,
    );
    return undefined;
  }
  try {
    session.beginStroke(hit.part, { tool, joint, strength, value, smoothAll, limit });
  } catch (error) {
    tellError(session, error);
    return undefined;
  }
  const stroke = new DabLine(context, from);
  stroke.dab(hit, event);
  return {
    move(at, moved) {
      const events = moved.getCoalescedEvents?.() ?? [];
      for (const each of events.length > 0 ? events : [moved]) stroke.goTo(context.view.spotOf(each), each);
      const under = context.view.pick(at.x, at.y);
      context.view.showBrush(under, callbacks.radius());
      callbacks.hover(under && { ...at, hit: under });
    },
    end() {
      endStroke(context);
    },
  };
}

/** Dabs along the pointer's way, evenly spaced on the screen. */
class DabLine {
  readonly #context: GestureContext;
  #last: Spot;
  #lastHit: StageHit | undefined;

  constructor(context: GestureContext, from: Spot) {
    this.#context = context;
    this.#last = from;
  }

  goTo({ x, y }: Spot, event: PointerEvent): void {
    const { view, session } = this.#context;
    const way = Math.hypot(x - this.#last.x, y - this.#last.y);
    const spacing = Math.max(2, this.#radiusOnScreen() * DAB_SPACING);
    if (way < spacing) return;
    const count = Math.min(MOST_DABS, Math.floor(way / spacing));
    const from = this.#last;
    const reach = count === MOST_DABS ? 1 : (count * spacing) / way;
    for (let i = 1; i <= count; i++) {
      const t = (i / count) * reach;
      this.#last = { x: from.x + (x - from.x) * t, y: from.y + (y - from.y) * t };
      const hit = view.pick(this.#last.x, this.#last.y);
      // A stroke stays on the part on which it began.
      if (hit && hit.part === session.strokePart) this.dab(hit, event);
    }
  }

  dab(hit: StageHit, event: PointerEvent): void {
    const { session, callbacks } = this.#context;
    const { penPressure, falloff } = callbacks.settings();
    // A mouse has no pressure; the standard gives it one half.
    const pressure = event.pointerType === 'pen' ? Math.max(0.05, event.pressure) : 1;
    const radius = callbacks.radius() * (penPressure === 'radius' ? pressure : 1);
    const { part, skin, paint, reach } = hit.part;
    const tip = { centre: hit.place, radius, falloff };
    const count = gatherReach(
      skin.positions,
      paint.neighbours,
      hit.corners,
      tip,
      reach,
      paint.points,
      paint.amounts,
    );
    if (part.role === 'skinned') session.dab(count, penPressure === 'strength' ? pressure : 1);
    this.#lastHit = hit;
  }

  #radiusOnScreen(): number {
    const { view, callbacks } = this.#context;
    const { camera, stageSize } = view;
    const distance = this.#lastHit?.distance ?? 1;
    return (callbacks.radius() / distance) * (camera.projectionMatrix.elements[5] / 2) * stageSize.height;
  }
}

function endStroke({ session, callbacks }: GestureContext): void {
  const { tool } = callbacks.settings();
  const report = session.endStroke(`${TOOL_NAMES[tool]}, ${session.jointName(session.joint)}`);
  if (!report) return;
  const told: string[] = [];
  const points = (n: number): string => (n === 1 ? '1 point' : `${n.toLocaleString('en')} points`);
  if (report.noReceiver > 0)
    told.push(`${points(report.noReceiver)} kept the weight: no other influence could take it`);
  if (report.lockedShort > 0)
    told.push(`${points(report.lockedShort)} got less: locked joints hold the rest`);
  if (report.dropped > 0)
    told.push(`${points(report.dropped)} lost the smallest influence to stay within the limit`);
  if (told.length > 0) session.tellPerson(`${told.join('. ')}.`);
}
