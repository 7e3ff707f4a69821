import type { Place } from '@judoka/core/skeleton';
import { axisWords, tellError, type Gesture, type GestureContext, type Spot } from './gesture.ts';
import type { Handle } from '../PoseHandles.ts';

/**
 * Moves a joint at rest: along a handle's axis, or with the pointer in the plane of the picture; in the middle of the
 * body under the pointer, if that is wanted. The mesh stays where it is; one edit when it is let go.
 */
export function placeGesture(context: GestureContext, joint: number, handle: Handle, from: Spot): Gesture {
  const { view, session, callbacks } = context;
  const { handles } = view;
  const start = session.restPlace(joint);
  const settings = callbacks.settings();
  const options = { childrenStay: settings.childrenStay, mirrored: settings.placeMirrored };
  let moved = false;
  handles.begin(handle, from, view.stageSize.width);
  return {
    move(at) {
      const drag = handles.drag(at, false);
      if (drag?.kind !== 'move') return;
      const inside = settings.placeInside && handle === 'free' ? view.middleOfBody(at.x, at.y) : undefined;
      const place: Place = inside ?? [start[0] + drag.way[0], start[1] + drag.way[1], start[2] + drag.way[2]];
      try {
        session.placing.show(new Map([[joint, place]]), options);
        moved = true;
        callbacks.saying(axisWords(handle) + Math.hypot(...drag.way).toPrecision(3));
      } catch (error) {
        tellError(session, error);
      }
    },
    end() {
      handles.end();
      callbacks.saying('');
      if (moved) session.placing.keep(`Place ${session.jointName(joint)}`);
      view.stageChanged();
    },
  };
}
