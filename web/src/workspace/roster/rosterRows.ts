import { childrenOf, liveJoints, type Skeleton } from '@judoka/core/skeleton';
import type { Filter, Order } from '../../settings/rosterChoice.ts';

export interface Row {
  readonly joint: number;
  /** The partner that shares the row where pairs are folded; -1 for none. */
  readonly partner: number;
  /** How deep it stands in the tree; 0 in a flat list. */
  readonly depth: number;
}

export interface Wish {
  /** Words that the name must hold, in any order. */
  readonly wanted: string;
  readonly filter: Filter;
  readonly order: Order;
  /** By joint: how much follows it, in points; the same within the selection; and how many points stray. */
  readonly masses: ArrayLike<number>;
  readonly selected: ArrayLike<number>;
  readonly strays: ArrayLike<number>;
  /** The joint whose region is meant: itself, what hangs on it, and what it hangs on up to a fork. */
  readonly chosen: number;
  /** By joint, its partner: a pair is one row, of its left joint. Not folded where missing. */
  readonly partner?: ArrayLike<number>;
}

/** The rows of the roster; a list that is searched or sorted is flat. */
export function listRows(skeleton: Skeleton, wish: Wish): Row[] {
  const { joints } = skeleton;
  const { masses, strays, order, partner } = wish;
  const words = wish.wanted.trim().toLowerCase().split(/\s+/).filter(Boolean);
  const { places, depths } = walk(skeleton);
  const fits = fitting(skeleton, wish);
  const shares = (joint: number): number => {
    const other = partner?.[joint] ?? -1;
    return other >= 0 && other !== joint && !joints[other]?.removed ? other : -1;
  };
  /** The right one of a folded pair has no row of its own. */
  const isFolded = (joint: number): boolean => {
    const other = shares(joint);
    if (other < 0 || shares(other) !== joint) return false;
    const isRight = joints[joint].side === 'right' || (joints[other].side !== 'right' && joint > other);
    return isRight && joints[other].side !== joints[joint].side;
  };
  const before: Record<Order, (a: number, b: number) => number> = {
    tree: (a, b) => places[a] - places[b],
    name: (a, b) => joints[a].name.localeCompare(joints[b].name, 'en', { numeric: true }),
    weight: (a, b) => masses[b] - masses[a],
    trouble: (a, b) => strays[b] - strays[a],
  };
  const flat = words.length > 0 || order !== 'tree';
  const named = (joint: number): boolean => {
    const name = joints[joint].name.toLowerCase();
    return words.every((word) => name.includes(word));
  };
  return liveJoints(skeleton)
    .filter((joint) => !isFolded(joint))
    .filter((joint) =>
      [joint, isFolded(shares(joint)) ? shares(joint) : -1].some((j) => j >= 0 && fits(j) && named(j)),
    )
    .sort((a, b) => before[order](a, b) || a - b)
    .map((joint) => {
      const other = shares(joint);
      return {
        joint,
        partner: other >= 0 && isFolded(other) ? other : -1,
        depth: flat ? 0 : depths[joint],
      };
    });
}

/** By joint: its turn when the tree is walked from above, and how deep it stands. */
function walk(skeleton: Skeleton): { places: number[]; depths: number[] } {
  const children = childrenOf(skeleton);
  const places: number[] = [];
  const depths: number[] = [];
  let turn = 0;
  const stack = liveJoints(skeleton)
    .filter((joint) => skeleton.joints[joint].parent < 0)
    .reverse();
  while (stack.length > 0) {
    const joint = stack.pop() as number;
    const { parent } = skeleton.joints[joint];
    places[joint] = turn++;
    depths[joint] = parent < 0 ? 0 : depths[parent] + 1;
    stack.push(...[...children[joint]].reverse());
  }
  return { places, depths };
}

function fitting(
  skeleton: Skeleton,
  { filter, masses, selected, strays, chosen }: Wish,
): (joint: number) => boolean {
  const { joints } = skeleton;
  switch (filter) {
    case 'all':
      return () => true;
    case 'weighted':
      return (joint) => masses[joint] > 0;
    case 'idle':
      return (joint) => masses[joint] === 0;
    case 'trouble':
      return (joint) => strays[joint] > 0;
    case 'selection':
      return (joint) => selected[joint] > 0;
    case 'region': {
      const region = regionOf(skeleton, chosen);
      return (joint) => region.has(joint);
    }
    default:
      return (joint) => joints[joint].side === filter;
  }
}

/** The limb that a joint belongs to: up to where the skeleton forks, and all that hangs below. */
export function regionOf(skeleton: Skeleton, joint: number): ReadonlySet<number> {
  const { joints } = skeleton;
  const region = new Set<number>();
  if (joint < 0 || !joints[joint] || joints[joint].removed) return region;
  const children = childrenOf(skeleton);
  let top = joint;
  while (joints[top].parent >= 0 && children[joints[top].parent].length === 1) top = joints[top].parent;
  const stack = [top];
  while (stack.length > 0) {
    const next = stack.pop() as number;
    region.add(next);
    stack.push(...children[next]);
  }
  return region;
}
