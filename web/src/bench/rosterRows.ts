import type { Joint } from '@judoka/core';

export const FILTERS = [
  { value: 'all', label: 'All joints' },
  { value: 'weighted', label: 'With weight' },
  { value: 'idle', label: 'Without weight' },
  { value: 'trouble', label: 'With trouble' },
  { value: 'left', label: 'Left' },
  { value: 'middle', label: 'Middle' },
  { value: 'right', label: 'Right' },
] as const;
export type Filter = (typeof FILTERS)[number]['value'];

export const ORDERS = [
  { value: 'tree', label: 'As a tree' },
  { value: 'name', label: 'By name' },
  { value: 'weight', label: 'By weight' },
  { value: 'trouble', label: 'By trouble' },
] as const;
export type Order = (typeof ORDERS)[number]['value'];

export interface Row {
  readonly joint: number;
  /** How deep it stands in the tree; 0 in a flat list. */
  readonly depth: number;
}

interface Wish {
  /** Words that the name must hold, in any order. */
  readonly wanted: string;
  readonly filter: Filter;
  readonly order: Order;
  /** By joint: how much follows it, in points, and how many points stray. */
  readonly masses: ArrayLike<number>;
  readonly strays: ArrayLike<number>;
}

/** The rows of the roster; a list that is searched or sorted is flat. */
export function listRows(joints: readonly Joint[], { wanted, filter, order, masses, strays }: Wish): Row[] {
  const words = wanted.trim().toLowerCase().split(/\s+/).filter(Boolean);
  const depths: number[] = [];
  joints.forEach(({ parent }, joint) => (depths[joint] = parent < 0 ? 0 : depths[parent] + 1));
  const fits: Record<Filter, (joint: number) => boolean> = {
    all: () => true,
    weighted: (joint) => masses[joint] > 0,
    idle: (joint) => masses[joint] === 0,
    trouble: (joint) => strays[joint] > 0,
    left: (joint) => joints[joint].side === 'left',
    middle: (joint) => joints[joint].side === 'middle',
    right: (joint) => joints[joint].side === 'right',
  };
  const before: Record<Order, (a: number, b: number) => number> = {
    tree: (a, b) => a - b,
    name: (a, b) => joints[a].name.localeCompare(joints[b].name, 'en', { numeric: true }),
    weight: (a, b) => masses[b] - masses[a],
    trouble: (a, b) => strays[b] - strays[a],
  };
  const flat = words.length > 0 || order !== 'tree';
  return joints
    .map((_, joint) => joint)
    .filter((joint) => {
      const name = joints[joint].name.toLowerCase();
      return fits[filter](joint) && words.every((word) => name.includes(word));
    })
    .sort((a, b) => before[order](a, b) || a - b)
    .map((joint) => ({ joint, depth: flat ? 0 : depths[joint] }));
}
