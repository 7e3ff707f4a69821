import {
  type JointPose,
  movedInScene,
  REST_JOINT,
  type Skeleton,
  turnedInScene,
  withJoint,
} from '@judoka/core/skeleton';
import type { Handle, HandleDrag } from '../../scene/PoseHandles.ts';
import { axisWords, type Gesture, type GestureContext } from '../../scene/gesture.ts';
import type { Spot } from '../../scene/spot.ts';

/** Turns, moves or scales the chosen joint by its handles, from where it was when they were taken. */
export function poseGesture(context: GestureContext, handle: Handle, from: Spot): Gesture {
  const { view, at, callbacks } = context;
  const { handles } = view;
  const {
    scene: { joint },
    document: { skeleton },
  } = at;
  const start = at.scene.pose[joint] ?? REST_JOINT;
  const world = at.scene.world.slice();
  // Turns of one drag, and drags of the same handle that follow at once, are one edit.
  const label = `Pose ${at.document.jointName(joint)}`;
  const key = `pose:${joint}:${handle}`;
  handles.begin(handle, from, view.stageSize.width);
  handles.highlight(handle);
  return {
    move(spot, event) {
      const drag = handles.drag(spot, event.ctrlKey);
      if (!drag) return;
      at.scene.handlePose(
        withJoint(at.scene.pose, joint, posedBy(drag, skeleton, start, world, joint)),
        label,
        key,
      );
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
  if (drag.kind === 'move') return movedInScene(skeleton, start, world, joint, drag.move);
  const [x, y, z] = start.scale;
  const [fx, fy, fz] = drag.factors;
  return { ...start, scale: [x * fx, y * fy, z * fz] };
}

function wordsOf(drag: HandleDrag): string {
  if (drag.kind === 'turn') return `${drag.degrees.toFixed(1)}°`;
  if (drag.kind === 'move') return Math.hypot(...drag.move).toPrecision(3);
  return `× ${Math.max(...drag.factors.map((f) => (f === 1 ? 0 : f))).toFixed(2)}`;
}
