import { gradientChange } from '../../session/gradient.ts';
import type { StageHit } from '../StageView.ts';
import { tellError, type Gesture, type GestureContext, type Spot } from './gesture.ts';

/** Drags a gradient over the surface, shown as it will be; one edit when it is let go. */
export function gradientGesture(context: GestureContext, hit: StageHit, from: Spot): Gesture | undefined {
  const { view, session, callbacks } = context;
  if (session.joint < 0) {
    session.tellPerson('Choose a joint first: in the roster, or by clicking its bone.');
    return undefined;
  }
  const label = `Gradient, ${session.jointName(session.joint)}`;
  let wanted: Spot | undefined;
  let working = false;
  let ended = false;
  // A picture behind the pointer is skipped, not queued.
  const work = async (): Promise<void> => {
    if (working) return;
    working = true;
    while (wanted) {
      const at = wanted;
      wanted = undefined;
      const to = view.placeBeside(at, hit.place);
      await session.proposals.drop();
      await session.proposals.propose(label, gradientChange(session, hit.place, to, callbacks.settings()));
    }
    working = false;
    if (ended) await session.proposals.keep();
  };
  return {
    move(at) {
      view.showOutline(Float32Array.of(from.x, from.y, at.x, at.y));
      wanted = at;
      work().catch((error: unknown) => tellError(session, error));
    },
    end() {
      view.showOutline(undefined);
      ended = true;
      if (!working) session.proposals.keep().catch((error: unknown) => tellError(session, error));
    },
  };
}
