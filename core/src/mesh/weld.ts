/** Which vertices are one point. */
export interface Weld {
  /** Points, numbered by their first vertex. */
  readonly pointCount: number;
  /** Uint32Array, vertexCount: vertex → point. */
  readonly vertexPoint: Uint32Array;
  /** Uint32Array, pointCount: point → the first vertex that stands on it. */
  readonly pointVertex: Uint32Array;
}

const FREE = 0xffffffff;

/**
 * Finds the vertices that stand on the very same place (equal to the bit, 0 and −0 alike): a file splits them there for
 * texture coordinates or normals. Equality rather than a distance, because files repeat a split vertex exactly and a
 * tolerance would glue eyelids and lips together. One hash table on the position's bits, open addressing.
 *
 * @param positions Float32Array, 3·vertexCount
 */
export function weldVertices(positions: Float32Array): Weld {
  const vertexCount = positions.length / 3;
  let size = 16;
  while (size < vertexCount * 2) size *= 2;
  const mask = size - 1;
  // An entry is a point's number with, in the bits above it, a piece of its hash: most entries of other places are told
  // apart without a look at their position, which lies elsewhere in memory.
  const pointBits = Math.ceil(Math.log2(vertexCount + 2));
  const pointMask = 2 ** pointBits - 1;
  const table = new Uint32Array(size).fill(FREE);
  // Adding zero turns −0 into 0, so that both have the same bits.
  const clean = new Float32Array(positions.length);
  for (let i = 0; i < positions.length; i++) clean[i] = positions[i] + 0;
  const bits = new Uint32Array(clean.buffer);
  const vertexPoint = new Uint32Array(vertexCount);
  const pointVertex = new Uint32Array(vertexCount);
  let pointCount = 0;
  for (let v = 0; v < vertexCount; v++) {
    const x = bits[v * 3];
    const y = bits[v * 3 + 1];
    const z = bits[v * 3 + 2];
    let hash = Math.imul(x, 0x9e3779b1) ^ Math.imul(y, 0x85ebca6b) ^ Math.imul(z, 0xc2b2ae35);
    hash = Math.imul(hash ^ (hash >>> 15), 0x2c1b3c6d);
    hash = Math.imul(hash ^ (hash >>> 13), 0x297a2d39);
    const mark = (hash & ~pointMask) >>> 0;
    let slot = (hash ^ (hash >>> 15)) & mask;
    for (;;) {
      const entry = table[slot];
      if (entry === FREE) {
        table[slot] = (mark | pointCount) >>> 0;
        pointVertex[pointCount] = v;
        vertexPoint[v] = pointCount++;
        break;
      }
      if ((entry & ~pointMask) >>> 0 === mark) {
        const point = entry & pointMask;
        const at = pointVertex[point] * 3;
        if (bits[at] === x && bits[at + 1] === y && bits[at + 2] === z) {
          vertexPoint[v] = point;
          break;
        }
      }
      slot = (slot + 1) & mask;
    }
  }
  return { pointCount, vertexPoint, pointVertex: pointVertex.slice(0, pointCount) };
}
