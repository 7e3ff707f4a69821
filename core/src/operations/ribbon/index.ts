export { growOwnJoints } from './growOwnJoints.ts';
export { weighOwnJoints } from './weighOwnJoints.ts';
