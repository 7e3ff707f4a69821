import { DabLine, type TakesDabs } from './DabLine.ts';
import type { Gesture, GestureContext } from './gesture.ts';
import type { StageHit } from './picking/StageSight.ts';
import type { Spot } from './spot.ts';

/** A brush that is held still lays a dab again after this time. */
const HELD_MS = 90;

/** Dabs along the pointer's way; they go on while it is held still. */
export function dabGesture(
  context: GestureContext,
  run: TakesDabs,
  hit: StageHit,
  from: Spot,
  event: PointerEvent,
  end: () => void,
): Gesture {
  const { view, callbacks } = context;
  const line = new DabLine(context, run, hit.part, from);
  line.dab(hit, event);
  const held = setInterval(() => line.again(event), HELD_MS);
  return {
    move(spot, moved) {
      const events = moved.getCoalescedEvents();
      for (const each of events.length > 0 ? events : [moved]) line.goTo(view.spotOf(each), each);
      view.showBrush(view.sight.pick(spot.x, spot.y), callbacks.radius());
    },
    end() {
      clearInterval(held);
      end();
    },
  };
}
