import {
  type JointPose,
  movedInScene,
  REST_JOINT,
  type Skeleton,
  turnedInScene,
  withJoint,
} from '@judoka/core/skeleton';
import type { Handle, HandleDrag } from '../PoseHandles.ts';
import { axisWords, type Gesture, type GestureContext, type Spot } from './gesture.ts';

/** Turns, moves or scales the chosen joint by its handles, from where it was when they were taken. */
export function poseGesture(context: GestureContext, handle: Handle, from: Spot): Gesture {
  const { view, session, callbacks } = context;
  const { handles } = view;
  const { joint, skeleton } = session;
  const start = session.pose[joint] ?? REST_JOINT;
  const world = session.world.slice();
  handles.begin(handle, from, view.stageSize.width);
  handles.highlight(handle);
  return {
    move(at, event) {
      const drag = handles.drag(at, event.ctrlKey);
      if (!drag) return;
      session.setPose(withJoint(session.pose, joint, posedBy(drag, skeleton, start, world, joint)));
      callbacks.saying(axisWords(handle) + wordsOf(drag));
    },
    end() {
      handles.end();
      view.stageChanged();
      callbacks.saying('');
    },
  };
}

function posedBy(
  drag: HandleDrag,
  skeleton: Skeleton,
  start: JointPose,
  world: Float32Array,
  joint: number,
): JointPose {
  if (drag.kind === 'turn') return turnedInScene(start, world, joint, drag.axis, drag.degrees);
  if (drag.kind === 'move') return movedInScene(skeleton, start, world, joint, drag.way);
  const [x, y, z] = start.scale;
  const [fx, fy, fz] = drag.factors;
  return { ...start, scale: [x * fx, y * fy, z * fz] };
}

function wordsOf(drag: HandleDrag): string {
  if (drag.kind === 'turn') return `${drag.degrees.toFixed(1)}°`;
  if (drag.kind === 'move') return Math.hypot(...drag.way).toPrecision(3);
  return `× ${Math.max(...drag.factors.map((f) => (f === 1 ? 0 : f))).toFixed(2)}`;
}
