export { differenceAmounts } from './differenceAmounts.ts';
export {
  listDifferences,
  type DifferentJoint,
  type DifferentPlace,
  type Differences,
} from './listDifferences.ts';
