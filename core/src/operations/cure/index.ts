export type { BendJudge } from './BendJudge.ts';
export { cureBends, type Cure, type CuredJoint, type CureRequest, type CureSubject } from './cureBends.ts';
export type { BendLacks } from './bendLacks.ts';
export { partOfChange } from './partOfChange.ts';
export { bakeLook, type Bake, type BakeRules, type BakeSubject, type LookError } from './bakeLook.ts';
