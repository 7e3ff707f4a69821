import { chainOf } from '@judoka/core/operations/bind';
import { chainsOf } from '../document/laidRibbons.ts';
import type { Editing } from './Editing.ts';

/** The chain that the chosen joints mean. @throws CoreError argument-invalid where they lie on no path */
export const chosenChain = ({ document, scene }: Editing): number[] =>
  chainOf(chainsOf(document), scene.chosenJoints());

/** The same; undefined where they mean none. */
export function chosenChainIfAny(at: Editing): number[] | undefined {
  try {
    return chosenChain(at);
  } catch {
    return undefined;
  }
}
