import type { Kernels } from '../kernels/kernels.ts';

/**
 * Things by their keys.
 * - `starts`   Uint32Array, groupCount + 1: group g has members[starts[g] .. starts[g + 1]), rising.
 * - `members`  Uint32Array.
 */
export interface Groups {
  readonly starts: Uint32Array;
  readonly members: Uint32Array;
}

/** Groups on their way: in the kernels' memory, `starts` zero before; `ends` has a place a group. */
export interface GroupWork extends Groups {
  readonly ends: Uint32Array;
}

/** Kernel memory that groups take, in bytes. */
export const groupBytes = (count: number, groupCount: number): number => count * 4 + groupCount * 8 + 64;

/** Groups things by keys from 0 to groupCount; those with a key below zero are left out. */
export function groupMembers(
  keys: Int32Array,
  groupCount: number,
  kernels: Pick<Kernels, 'u32' | 'groupByKey'>,
): Groups {
  const work = {
    starts: kernels.u32(groupCount + 1),
    ends: kernels.u32(groupCount),
    members: kernels.u32(keys.length),
  };
  kernels.groupByKey(keys, work);
  return { starts: work.starts, members: work.members };
}

/** The loop of {@link groupMembers}, a counting sort; twin of groupByKey in core/kernels/topology.ts. */
export function groupByKey(keys: Int32Array, { starts, ends, members }: GroupWork): void {
  for (let i = 0; i < keys.length; i++) if (keys[i] >= 0) starts[keys[i] + 1]++;
  for (let g = 0; g < ends.length; g++) starts[g + 1] += starts[g];
  ends.set(starts.subarray(0, ends.length));
  for (let i = 0; i < keys.length; i++) if (keys[i] >= 0) members[ends[keys[i]]++] = i;
}

/** The members of one group. */
export const membersOf = ({ starts, members }: Groups, group: number): Uint32Array =>
  members.subarray(starts[group], starts[group + 1]);
