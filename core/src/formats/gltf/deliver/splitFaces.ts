/**
 * Faces in groups that have no more than some joints and vertices each: each group grows over shared vertices while it may,
 * so that cuts are short.
 *
 * @param indices three a face
 * @param jointsAt the joints that a vertex follows
 * @returns by group: its faces' vertices; undefined where a single face is too much
 */
export function splitFaces(
  indices: Uint32Array,
  vertexCount: number,
  jointsAt: (vertex: number) => readonly number[],
  maxJoints: number,
  maxVertices: number,
): Uint32Array[] | undefined {
  const faceCount = Math.floor(indices.length / 3);
  const facesAt = facesByVertex(indices, faceCount, vertexCount);
  const joints = Array.from({ length: vertexCount }, (_, vertex) => jointsAt(vertex));
  const isTaken = new Uint8Array(faceCount);
  const groups: Uint32Array[] = [];
  for (let first = 0; first < faceCount; first++) {
    if (isTaken[first]) continue;
    const group = grow(first);
    if (!group) return undefined;
    groups.push(Uint32Array.from(group.flatMap((face) => [...indices.subarray(face * 3, face * 3 + 3)])));
  }
  return groups;

  /** From a face over those that share vertices; then over all others that need nothing new but vertices. */
  function grow(start: number): number[] | undefined {
    const [used, vertices] = [new Set<number>(), new Set<number>()];
    const group: number[] = [];
    const seen = new Set<number>([start]);
    const queue = [start];
    const take = (face: number): boolean => {
      const own = indices.subarray(face * 3, face * 3 + 3);
      const fresh = [...new Set([...own].flatMap((vertex) => joints[vertex]))].filter(
        (joint) => !used.has(joint),
      );
      const added = [...new Set(own)].filter((vertex) => !vertices.has(vertex));
      if (used.size + fresh.length > maxJoints || vertices.size + added.length > maxVertices) return false;
      for (const joint of fresh) used.add(joint);
      for (const vertex of added) vertices.add(vertex);
      isTaken[face] = 1;
      group.push(face);
      return true;
    };
    for (const face of queue) {
      if (isTaken[face] || !take(face)) continue;
      for (let k = 0; k < 3; k++)
        for (const next of facesAt(indices[face * 3 + k]))
          if (!isTaken[next] && !seen.has(next)) {
            seen.add(next);
            queue.push(next);
          }
    }
    if (group.length === 0) return undefined;
    // Loose pieces go along where there is room: each of them alone would be a group.
    for (let face = start + 1; face < faceCount; face++) if (!isTaken[face] && !seen.has(face)) take(face);
    return group;
  }
}

function facesByVertex(
  indices: Uint32Array,
  faceCount: number,
  vertexCount: number,
): (vertex: number) => Uint32Array {
  const starts = new Uint32Array(vertexCount + 1);
  for (let i = 0; i < faceCount * 3; i++) starts[indices[i] + 1]++;
  for (let v = 0; v < vertexCount; v++) starts[v + 1] += starts[v];
  const faces = new Uint32Array(faceCount * 3);
  const next = starts.slice();
  for (let i = 0; i < faceCount * 3; i++) faces[next[indices[i]]++] = Math.floor(i / 3);
  return (vertex) => faces.subarray(starts[vertex], starts[vertex + 1]);
}
