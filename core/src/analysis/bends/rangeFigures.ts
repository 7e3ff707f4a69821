import { worstFigures, type JointTrial } from './trial.ts';

/** How a skin bends over its whole range of motion, in the few figures by which skins are compared. */
export interface RangeFigures {
  /** Joints whose bends were measured. */
  readonly joints: number;
  /** Damage of each joint's worst bend (see BendFigures), all together. */
  readonly strain: number;
  /** The joint with the worst bend of all; undefined where nothing bends. */
  readonly worst: number | undefined;
  /** The most stretched edge of all bends: 1 is double its length. */
  readonly stretch: number;
  /**
   * The share of its volume that a bend loses, each joint in the bend that loses most, on average over those that have a
   * volume: one small piece that is crushed says little of the whole.
   */
  readonly volumeLost: number;
  /** Faces that look the wrong way, of each joint's bend that has most of them. */
  readonly folded: number;
}

export function rangeFigures(trials: readonly JointTrial[]): RangeFigures {
  let [strain, stretch, lost, closed, folded, most] = [0, 0, 0, 0, 0, 0];
  let worst: number | undefined;
  for (const trial of trials) {
    const figures = trial.poses.map((pose) => pose.figures);
    const { damage } = worstFigures(trial, 'damage');
    strain += damage;
    if (worst === undefined || damage > most) [worst, most] = [trial.joint, damage];
    folded += Math.max(...figures.map((each) => each.folded));
    for (const each of figures) stretch = Math.max(stretch, each.stretch);
    const volumes = figures.flatMap(({ volume }) => (volume === undefined ? [] : [volume]));
    if (volumes.length === 0) continue;
    closed++;
    // What is turned inside out has lost all of it.
    lost += Math.min(1, Math.max(0, -Math.min(...volumes)));
  }
  const volumeLost = closed > 0 ? lost / closed : 0;
  return { joints: trials.length, strain, worst, stretch, volumeLost, folded };
}
