export {
  describe,
  listArrivalFindings,
  listWeightTroubles,
  skinnedRows,
  type CharacterDescription,
  type PartDescription,
} from './describe.ts';
export { leftOutJoints } from './leftOut.ts';
export { helperJoints } from './helperJoints.ts';
export { checkInput, checkUp, type CheckOptions } from './checkUp.ts';
