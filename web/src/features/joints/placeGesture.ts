import type { Place } from '@judoka/core/skeleton';
import { axisWords, type Gesture, type GestureContext } from '../../scene/gesture.ts';
import type { Spot } from '../../scene/spot.ts';
import type { Editing } from '../../scene/Editing.ts';
import type { JointPlacement } from './JointPlacement.ts';
import type { Handle } from '../../scene/PoseHandles.ts';

/**
 * Moves a joint at rest: along a handle's axis, or with the pointer in the plane of the picture; in the middle of the
 * body under the pointer, if that is wanted. The mesh stays where it is; one edit when it is let go.
 */
export function placeGesture(
  context: GestureContext<Editing & { readonly jointPlacement: JointPlacement }>,
  joint: number,
  handle: Handle,
  from: Spot,
): Gesture {
  const { view, at, callbacks } = context;
  const { handles } = view;
  const start = at.document.restPlace(joint);
  const settings = callbacks.settings();
  const options = { childrenStay: settings.childrenStay, mirrored: settings.placeMirrored };
  let moved = false;
  handles.begin(handle, from, view.stageSize.width);
  return {
    move(spot) {
      const drag = handles.drag(spot, false);
      if (drag?.kind !== 'move') return;
      const inside =
        settings.placeInside && handle === 'free' ? view.sight.middleOfBody(spot.x, spot.y) : undefined;
      const place: Place = inside ?? [
        start[0] + drag.move[0],
        start[1] + drag.move[1],
        start[2] + drag.move[2],
      ];
      try {
        at.jointPlacement.show(new Map([[joint, place]]), options);
        moved = true;
        callbacks.saying(axisWords(handle) + Math.hypot(...drag.move).toPrecision(3));
      } catch (error) {
        at.document.notifyError(error);
      }
    },
    end() {
      handles.end();
      callbacks.saying('');
      if (moved) at.jointPlacement.keep(`Place ${at.document.jointName(joint)}`);
      view.stageChanged();
    },
  };
}
