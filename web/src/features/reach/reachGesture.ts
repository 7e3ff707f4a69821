import type { ReachEdge } from '../../scene/drawings/ReachDrawing.ts';
import type { Editing } from '../../scene/Editing.ts';
import type { ReachTool } from './ReachTool.ts';
import { type Gesture, type GestureContext } from '../../scene/gesture.ts';

/** Drags one edge of the chosen joint's reach; weights, surface and bend strip follow at once. */
export function reachGesture(
  context: GestureContext<Editing & { readonly reachTool: ReachTool }>,
  edge: ReachEdge,
): Gesture {
  const { view, at, callbacks } = context;
  const {
    scene: { joint },
  } = at;
  return {
    move(spot) {
      const reach = at.reachTool.reaches.get(joint);
      if (!reach) return;
      const radius = view.reachRadiusAt(spot);
      const next =
        edge === 'inner'
          ? { ...reach, inner: radius, outer: Math.max(reach.outer, radius) }
          : { ...reach, outer: radius, inner: Math.min(reach.inner, radius) };
      try {
        at.reachTool.set(joint, next, callbacks.settings().placeMirrored);
        callbacks.saying(`${edge} ${radius.toPrecision(3)}`);
      } catch (error) {
        at.document.notifyError(error);
      }
    },
    end() {
      at.reachTool.settle();
      callbacks.saying('');
    },
  };
}
