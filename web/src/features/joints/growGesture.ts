import type { Gesture, GestureContext } from '../../scene/gesture.ts';
import type { Spot } from '../../scene/spot.ts';
import { addJointAt, parentOfNext } from './newJoints.ts';

/** How near, in pixels, a press must come to a joint to mean it. */
const NEAR_PX = 9;

/**
 * A press on the body puts a joint into its middle, front to back, below the chosen one; it can still be moved until it is
 * let go. A press on a joint chooses that one: the next goes on from there.
 */
export function growGesture(context: GestureContext, from: Spot): Gesture | undefined {
  const { view, at, callbacks } = context;
  const { width, height } = view.stageSize;
  const met = view.skeleton.jointAt(from, view.camera, width, height, NEAR_PX);
  if (met >= 0) {
    at.scene.chooseJoint(met);
    return undefined;
  }
  let place = view.sight.middleOfBody(from.x, from.y);
  if (!place) {
    at.document.notify('A joint goes into the body: click on it.');
    return undefined;
  }
  const show = (): void => {
    view.showNewJoint(place);
    callbacks.saying(place ? place.map((x) => x.toPrecision(3)).join(', ') : 'beside the body');
  };
  show();
  return {
    move(spot) {
      place = view.sight.middleOfBody(spot.x, spot.y);
      show();
    },
    end() {
      view.showNewJoint(undefined);
      callbacks.saying('');
      if (!place) return;
      const { newJointName: wish, placeMirrored: mirrored } = callbacks.settings();
      try {
        const parent = parentOfNext(at);
        addJointAt(at, { parent, place, wish, mirrored }).catch(at.document.notifyError);
      } catch (error) {
        at.document.notifyError(error);
      }
    },
  };
}
