import type { ReachEdge } from '../ReachDrawing.ts';
import { tellError, type Gesture, type GestureContext } from './gesture.ts';

/** Drags one edge of the chosen joint's reach; weights, surface and bend strip follow at once. */
export function reachGesture(context: GestureContext, edge: ReachEdge): Gesture {
  const { view, session, callbacks } = context;
  const { joint } = session;
  return {
    move(at) {
      const reach = session.reaching.reaches.get(joint);
      if (!reach) return;
      const radius = view.reachRadiusAt(at);
      const next =
        edge === 'inner'
          ? { ...reach, inner: radius, outer: Math.max(reach.outer, radius) }
          : { ...reach, outer: radius, inner: Math.min(reach.inner, radius) };
      try {
        session.reaching.set(joint, next, callbacks.settings().placeMirrored);
        callbacks.saying(`${edge} ${radius.toPrecision(3)}`);
      } catch (error) {
        tellError(session, error);
      }
    },
    end() {
      session.reaching.settle();
      callbacks.saying('');
    },
  };
}
