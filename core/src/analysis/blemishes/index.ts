export { findBlemishes } from './findBlemishes.ts';
export { findUnevenJoints } from './findUnevenJoints.ts';
export { type FoundBlemishes, lookForBlemishes } from './lookForBlemishes.ts';
