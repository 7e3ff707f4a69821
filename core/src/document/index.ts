export { withJointSetups } from './withJointSetups.ts';
export { gatherMirrorSpace, partAt, type MirrorSpace } from './mirrorSpace.ts';
export { EMPTY_HISTORY, record, type EditRef, type History, type HistoryEntry } from './history.ts';
export type { Character, CharacterPart, PartSource, SourceWeights } from './character.ts';
export {
  byWorst,
  FINDING_CODES,
  FINDING_WORDS,
  type Finding,
  type FindingCode,
  type Severity,
} from './finding.ts';
export type { CheckInput } from './checkInput.ts';
export { DEFAULT_PROFILE, PROFILES, type DeliveryProfile } from './profiles.ts';
export { gatherBindSpace, jointPlaces, type BindSpace } from './bindSpace.ts';
export { STRAY_KINDS, type Stray, type StrayKind } from './stray.ts';
export { skinPart, type SkinnedCharacter } from './skinPart.ts';
