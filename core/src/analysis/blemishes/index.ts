export { findBlemishes } from './findBlemishes.ts';
export { findUnevenJoints } from './findUnevenJoints.ts';
