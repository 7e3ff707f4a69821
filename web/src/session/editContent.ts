import { type Change, invert, isEmpty } from '@judoka/core/weights';
import { invertSkeletonChange, type SkeletonChange } from '@judoka/core/skeleton';
import type { KeptEdit } from './editStore.ts';

/** What an edit does: to weights, and to joints. */
export interface EditContent {
  readonly change: Change;
  readonly joints: SkeletonChange;
}

export const NO_JOINTS: SkeletonChange = [];

export function invertContent({ change, joints }: EditContent): EditContent {
  return { change: invert(change), joints: invertSkeletonChange(joints) };
}

export function isEmptyContent({ change, joints }: EditContent): boolean {
  return isEmpty(change) && joints.length === 0;
}

/** What an entry did: an undo is stored as its target, and does the inverse. */
export function asDone(kind: KeptEdit['kind'], target: EditContent): EditContent {
  return kind === 'undo' ? invertContent(target) : target;
}
