import { turnedBy } from '@judoka/core/animation';
import type { JointTrial } from '@judoka/core/analysis/bends';
import { withJoint } from '@judoka/core/skeleton';
import type { Editing } from '../../scene/Editing.ts';
import { stageActions } from '../../scene/stageActions.ts';
import { strainShown } from '../../settings/uiSettings.ts';
import { store } from '../../settings/store.ts';
import type { Trial } from '../../trial/Trial.ts';

/** Takes the pose of a joint's range onto the stage, and looks at the joint, by its strain or by its weights. */
export function showRangePose(
  at: Editing & { readonly trial: Trial },
  { joint, poses }: JointTrial,
  i: number,
  byStrain = true,
): void {
  const posed = poses[i].at;
  const range = at.trial.rangeOf(joint);
  if (!('angles' in posed) || !range) return;
  at.scene.chooseJoint(joint);
  at.scene.setPose(withJoint({}, joint, turnedBy(range, posed.angles)));
  if (byStrain) store.dispatch(strainShown());
  stageActions()?.frameJoint();
}
