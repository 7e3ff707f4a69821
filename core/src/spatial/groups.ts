import type { Groups, GroupWork } from './groupByKey.ts';
import { spatialKernels } from './spatialKernels.ts';
import type { KernelMemory } from '../memory/kernelMemory.ts';

/** Room for groups in the kernels' memory. */
export const layGroups = (memory: KernelMemory, count: number, groupCount: number): GroupWork => ({
  starts: memory.u32(groupCount + 1),
  ends: memory.u32(groupCount),
  members: memory.u32(count),
});

/** Groups things by keys from 0 to groupCount; those with a key below zero are left out. */
export function groupMembers(keys: Int32Array, groupCount: number, memory: KernelMemory): Groups {
  const work = layGroups(memory, keys.length, groupCount);
  spatialKernels(memory).groupByKey(keys, work);
  return { starts: work.starts, members: work.members };
}

/** The members of one group. */
export const membersOf = ({ starts, members }: Groups, group: number): Uint32Array =>
  members.subarray(starts[group], starts[group + 1]);
