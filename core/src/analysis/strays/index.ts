export { findStrays, stepsBetween, type StrayInput } from './findStrays.ts';
export { strayMovements, type MovementSubject, type StrayMovement } from './strayMovement.ts';
export { movingJoints, rangesOf, rankStrays, type RankedStray, type StrayQuestion } from './rankStrays.ts';
