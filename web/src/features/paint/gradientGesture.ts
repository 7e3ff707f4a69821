import { gradientChange } from './gradient.ts';
import type { StageHit } from '../../scene/picking/StageSight.ts';
import { type Gesture, type GestureContext } from '../../scene/gesture.ts';
import type { Spot } from '../../scene/spot.ts';

/** Drags a gradient over the surface, shown as it will be; one edit when it is let go. */
export function gradientGesture(context: GestureContext, hit: StageHit, from: Spot): Gesture | undefined {
  const { view, at, callbacks } = context;
  if (at.scene.joint < 0) {
    at.document.notify('Choose a joint first: in the roster, or by clicking its bone.');
    return undefined;
  }
  const label = `Gradient, ${at.document.jointName(at.scene.joint)}`;
  let wanted: Spot | undefined;
  let working = false;
  let ended = false;
  // A picture behind the pointer is skipped, not queued.
  const work = async (): Promise<void> => {
    if (working) return;
    working = true;
    while (wanted) {
      const spot = wanted;
      wanted = undefined;
      const to = view.sight.placeBeside(spot, hit.place);
      await at.document.proposals.drop();
      await at.document.proposals.propose(label, gradientChange(at, hit.place, to, callbacks.settings()), {
        isPassing: true,
      });
    }
    working = false;
    if (ended) await at.document.proposals.keep();
  };
  return {
    move(spot) {
      view.showOutline(Float32Array.of(from.x, from.y, spot.x, spot.y));
      wanted = spot;
      work().catch(at.document.notifyError);
    },
    end() {
      view.showOutline(undefined);
      ended = true;
      if (!working) at.document.proposals.keep().catch(at.document.notifyError);
    },
  };
}
