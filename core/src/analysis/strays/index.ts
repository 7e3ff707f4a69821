export { countStrays } from './countStrays.ts';
export { findStrays, stepsBetween, type StrayInput } from './findStrays.ts';
export { strayMovements, type MovementSubject } from './strayMovement.ts';
export {
  movingJoints,
  pointsOfStrays,
  rangesOf,
  rankStrays,
  strayPoints,
  type RankedStray,
  type StrayQuestion,
} from './rankStrays.ts';
