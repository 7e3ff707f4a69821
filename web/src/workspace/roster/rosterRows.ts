import { childrenOf, liveJoints, type Side, type Skeleton } from '@judoka/core/skeleton';
import type { Filter, Order } from '../../settings/rosterChoice.ts';

export interface Row {
  readonly joint: number;
  /** The partner that shares the row where pairs are folded; -1 for none. */
  readonly partner: number;
  /** How deep it stands in the tree; 0 in a flat list. */
  readonly depth: number;
  /** Whether what hangs on it is shown, or hidden; undefined where nothing does, and in a flat list. */
  readonly branch: 'open' | 'closed' | undefined;
}

export interface Wish {
  /** Words that the name must hold, in any order. */
  readonly wanted: string;
  readonly filter: Filter;
  readonly order: Order;
  /** By joint: how much follows it, in points; the same within the selection; and how many points stray. */
  readonly masses: ArrayLike<number>;
  readonly selected: ArrayLike<number>;
  readonly troubles: ArrayLike<number>;
  readonly sides: readonly Side[];
  /** Joints whose branch is closed. */
  readonly closed: ReadonlySet<number>;
  /** The joint whose region is meant: itself, what hangs on it, and what it hangs on up to a fork. */
  readonly chosen: number;
  /** By joint, its partner: a pair is one row, of its left joint. Not folded where missing. */
  readonly partner?: ArrayLike<number>;
}

/** The rows of the roster; a list that is searched or sorted is flat. */
export function listRows(skeleton: Skeleton, wish: Wish): Row[] {
  const { joints } = skeleton;
  const { masses, troubles, order, partner, sides } = wish;
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
    return sides[joint] === 'right' && sides[other] === 'left';
  };
  const before: Record<Order, (a: number, b: number) => number> = {
    tree: (a, b) => places[a] - places[b],
    name: (a, b) => joints[a].name.localeCompare(joints[b].name, 'en', { numeric: true }),
    weight: (a, b) => masses[b] - masses[a],
    trouble: (a, b) => troubles[b] - troubles[a],
  };
  const flat = words.length > 0 || order !== 'tree' || wish.filter !== 'all';
  const children = childrenOf(skeleton);
  const isHidden = (joint: number): boolean => {
    for (let up = joints[joint].parent; up >= 0; up = joints[up].parent) if (wish.closed.has(up)) return true;
    return false;
  };
  const named = (joint: number): boolean => {
    const name = joints[joint].name.toLowerCase();
    return words.every((word) => name.includes(word));
  };
  return liveJoints(skeleton)
    .filter((joint) => !isFolded(joint) && (flat || !isHidden(joint)))
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
        branch: flat || children[joint].length === 0 ? undefined : wish.closed.has(joint) ? 'closed' : 'open',
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
  { filter, masses, selected, troubles, chosen, sides }: Wish,
): (joint: number) => boolean {
  switch (filter) {
    case 'all':
      return () => true;
    case 'weighted':
      return (joint) => masses[joint] > 0;
    case 'idle':
      return (joint) => masses[joint] === 0;
    case 'trouble':
      return (joint) => troubles[joint] > 0;
    case 'selection':
      return (joint) => selected[joint] > 0;
    case 'region': {
      const region = regionOf(skeleton, chosen);
      return (joint) => region.has(joint);
    }
    default:
      return (joint) => sides[joint] === filter;
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

/** Letters at the end of a name that stay in sight longest: they tell joints apart. */
const TAIL = 5;
/** A name of no more letters is not split. */
const SHORT = 9;

/** A beginning that all names share, up to a mark between words; empty where it is short or leaves nothing. */
export function sharedPrefix(names: readonly string[]): string {
  if (names.length < 3) return '';
  let prefix = names[0];
  for (const name of names) while (!name.startsWith(prefix)) prefix = prefix.slice(0, -1);
  const end = Math.max(...[':', '_', '-', '.', '|', ' '].map((mark) => prefix.lastIndexOf(mark))) + 1;
  const cut = prefix.slice(0, end);
  return cut.length >= 3 && names.every((name) => name.length > cut.length) ? cut : '';
}

/** A name in two: its beginning, which is cut where there is no room, and its end, which never is. */
export function splitName(name: string): readonly [string, string] {
  const letters = Array.from(name);
  const at = letters.length <= SHORT ? 0 : letters.length - TAIL;
  return [letters.slice(0, at).join(''), letters.slice(at).join('')];
}

/** Joints of the rows from one to another, in their order; only the latter where the former is not shown. */
export function rangeOf(rows: readonly Row[], from: number, to: number): number[] {
  const [a, b] = [from, to].map((joint) => rows.findIndex((row) => row.joint === joint));
  if (a < 0 || b < 0) return [to];
  return rows.slice(Math.min(a, b), Math.max(a, b) + 1).map(({ joint }) => joint);
}
