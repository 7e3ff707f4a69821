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

/** The loop of {@link groupMembers}, a counting sort; twin of groupByKey in core/kernels/topology.ts. */
export function groupByKey(keys: Int32Array, { starts, ends, members }: GroupWork): void {
  for (let i = 0; i < keys.length; i++) if (keys[i] >= 0) starts[keys[i] + 1]++;
  for (let g = 0; g < ends.length; g++) starts[g + 1] += starts[g];
  ends.set(starts.subarray(0, ends.length));
  for (let i = 0; i < keys.length; i++) if (keys[i] >= 0) members[ends[keys[i]]++] = i;
}
