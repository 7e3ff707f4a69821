export {
  limitInfluences,
  type LimitedPoints,
  type LimitRules,
  type LimitSubject,
} from './limitInfluences.ts';
export { dropJoints, type DropRules, type JointDrop } from './dropJoints.ts';
