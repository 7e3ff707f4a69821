import type { Character } from '../../document/character.ts';
import { checkInput } from './checkUp.ts';
import { helperJoints } from './helperJoints.ts';

/** Joints that no binding gives weight to until somebody says otherwise: roots, and helpers of the rig. */
export function leftOutJoints(character: Character): Set<number> {
  const input = checkInput(character, {});
  return new Set([...input.roots, ...helperJoints(input)]);
}
