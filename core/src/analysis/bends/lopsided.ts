import { worstFigures, type BendOrder, type JointTrial } from './trial.ts';

/** A bend is worse than its partner's from this many times on, */
const WORSE = 1.4;
/** and this share of the worst bend of all: below it, nobody sees the difference. */
const SEEN_SHARE = 0.03;

/**
 * Joints whose bends are worse than those of their partners on the other side, worst first. Where a body bends well
 * depends on its mesh; but both sides of a body should bend alike, so this says what went wrong.
 *
 * @param partner Int32Array, jointCount; -1 for none
 */
export function findLopsided(trials: readonly JointTrial[], partner: ArrayLike<number>): number[] {
  const byJoint = new Map(trials.map((trial) => [trial.joint, trial]));
  const figure = (trial: JointTrial, order: BendOrder): number => worstFigures(trial, order)[order];
  const most = (order: BendOrder): number => Math.max(0, ...trials.map((trial) => figure(trial, order)));
  const limits = { stretch: SEEN_SHARE * most('stretch'), damage: SEEN_SHARE * most('damage') };
  /** How many times as bad a bend is as another; nothing where nobody sees it. */
  const times = (one: JointTrial, other: JointTrial, order: BendOrder): number => {
    const [own, theirs] = [figure(one, order), figure(other, order)];
    // A stretch of nothing is one rest length; damage of next to nothing is no measure of more.
    const base = order === 'stretch' ? 1 : limits.damage;
    return own - theirs > limits[order] ? (own + base) / Math.max(theirs + base, 1e-9) : 0;
  };
  const worse = (one: JointTrial, other: JointTrial): number =>
    Math.max(times(one, other, 'stretch'), times(one, other, 'damage'));
  return trials
    .filter((trial) => {
      const other = byJoint.get(partner[trial.joint]);
      if (!other || other === trial) return false;
      // A side may be stretched more and the other be hurt more: one of them is the worse.
      return worse(trial, other) > WORSE && worse(trial, other) >= worse(other, trial);
    })
    .sort((a, b) => figure(b, 'damage') - figure(a, 'damage') || a.joint - b.joint)
    .map(({ joint }) => joint);
}
