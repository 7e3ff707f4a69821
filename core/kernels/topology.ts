// Flat walks over the surface. Twins: core/src/mesh/topologyLoops.ts and core/src/weights/pieceLoops.ts, equal to the bit.

@inline
function addOnce(foundPtr: usize, start: u32, endPtr: usize, point: u32, neighbour: u32): void {
  const end = load<u32>(endPtr + (<usize>point << 2));
  for (let k = start; k < end; k++) if (load<u32>(foundPtr + (<usize>k << 2)) == neighbour) return;
  store<u32>(foundPtr + (<usize>end << 2), neighbour);
  store<u32>(endPtr + (<usize>point << 2), end + 1);
}

// See fillNeighbours in the twin. `starts`, `offsets`: pointCount + 1, all zero. Returns how many neighbours there are.
export function fillNeighbours(
  polygonPtr: usize, polygonCount: i32, cornerPtr: usize, pointCount: i32,
  startPtr: usize, endPtr: usize, foundPtr: usize, offsetPtr: usize,
): i32 {
  const cornerCount = load<u32>(polygonPtr + (<usize>polygonCount << 2));
  for (let i: usize = 0; i < <usize>cornerCount; i++) {
    const at = startPtr + (<usize>load<u32>(cornerPtr + (i << 2)) << 2);
    store<u32>(at, load<u32>(at, 4) + 2, 4);
  }
  for (let p: usize = 0; p < <usize>pointCount; p++) {
    const at = startPtr + (p << 2);
    store<u32>(at, load<u32>(at, 4) + load<u32>(at), 4);
  }
  memory.copy(endPtr, startPtr, <usize>pointCount << 2);
  for (let polygon: usize = 0; polygon < <usize>polygonCount; polygon++) {
    const from = load<u32>(polygonPtr + (polygon << 2)), to = load<u32>(polygonPtr + (polygon << 2), 4);
    if (from == to) continue;
    let previous = load<u32>(cornerPtr + (<usize>(to - 1) << 2));
    let previousStart = load<u32>(startPtr + (<usize>previous << 2));
    for (let c = from; c < to; c++) {
      const point = load<u32>(cornerPtr + (<usize>c << 2));
      const start = load<u32>(startPtr + (<usize>point << 2));
      addOnce(foundPtr, start, endPtr, point, previous);
      addOnce(foundPtr, previousStart, endPtr, previous, point);
      previous = point;
      previousStart = start;
    }
  }
  let count: u32 = 0;
  for (let p: usize = 0; p < <usize>pointCount; p++) {
    const to = load<u32>(endPtr + (p << 2));
    for (let k = load<u32>(startPtr + (p << 2)); k < to; k++) {
      store<u32>(foundPtr + (<usize>count << 2), load<u32>(foundPtr + (<usize>k << 2)));
      count++;
    }
    store<u32>(offsetPtr + (p << 2), count, 4);
  }
  return count;
}

@inline
function find(parentPtr: usize, node: u32): u32 {
  let at = parentPtr + (<usize>node << 2);
  let parent = load<u32>(at);
  while (parent != node) {
    const above = load<u32>(parentPtr + (<usize>parent << 2));
    store<u32>(at, above);
    node = above;
    at = parentPtr + (<usize>node << 2);
    parent = load<u32>(at);
  }
  return node;
}

@inline
function unite(parentPtr: usize, a: u32, b: u32): void {
  const ra = find(parentPtr, a), rb = find(parentPtr, b);
  if (ra < rb) store<u32>(parentPtr + (<usize>rb << 2), ra);
  else if (rb < ra) store<u32>(parentPtr + (<usize>ra << 2), rb);
}

const MIXED: u32 = 0xffffffff;

@inline
function slotOf(joint: u32, from: u32, stride: u32, jointPtr: usize, valuePtr: usize): u32 {
  for (let b = from; b < from + stride && load<f32>(valuePtr + (<usize>b << 2)) != 0; b++)
    if (load<u16>(jointPtr + (<usize>b << 1)) == joint) return b;
  return MIXED;
}

// See fillPieces in the twin: the first node stands for its piece, so that the order of joining does not matter. Points
// that follow one joint whole, as nearly all do, are joined among themselves first. `solo`, `chief`: pointCount.
export function joinPieces(
  pointCount: i32, stride: u32, jointPtr: usize, valuePtr: usize, offsetPtr: usize, neighbourPtr: usize,
  parentPtr: usize, massPtr: usize, borderPtr: usize, rootPtr: usize, soloPtr: usize, chiefPtr: usize,
): i32 {
  for (let p: u32 = 0; p < <u32>pointCount; p++) {
    const from = p * stride, value = valuePtr + (<usize>from << 2);
    const isSolo = load<f32>(value) != 0 && (stride == 1 || load<f32>(value, 4) == 0);
    store<u32>(soloPtr + (<usize>p << 2), isSolo ? <u32>load<u16>(jointPtr + (<usize>from << 1)) : MIXED);
    store<u32>(chiefPtr + (<usize>p << 2), p);
  }
  // 1. Along edges between two of the first kind.
  for (let p: u32 = 0; p < <u32>pointCount; p++) {
    const own = load<u32>(soloPtr + (<usize>p << 2));
    if (own == MIXED) continue;
    const last = load<u32>(offsetPtr + (<usize>p << 2), 4);
    for (let e = load<u32>(offsetPtr + (<usize>p << 2)); e < last; e++) {
      const n = load<u32>(neighbourPtr + (<usize>e << 2));
      const other = load<u32>(soloPtr + (<usize>n << 2));
      if (other == own) {
        if (n > p) unite(chiefPtr, p, n);
      } else if (other != MIXED || slotOf(own, n * stride, stride, jointPtr, valuePtr) == MIXED)
        store<u8>(borderPtr + p * stride, 1);
    }
  }
  for (let p: u32 = 0; p < <u32>pointCount; p++) {
    const from = p * stride;
    if (load<u32>(soloPtr + (<usize>p << 2)) != MIXED) store<u32>(parentPtr + (<usize>from << 2), find(chiefPtr, p) * stride);
    else for (let a = from; a < from + stride; a++) store<u32>(parentPtr + (<usize>a << 2), a);
  }
  // 2. Along the others.
  for (let p: u32 = 0; p < <u32>pointCount; p++) {
    if (load<u32>(soloPtr + (<usize>p << 2)) != MIXED) continue;
    const from = p * stride, last = load<u32>(offsetPtr + (<usize>p << 2), 4);
    for (let a = from; a < from + stride && load<f32>(valuePtr + (<usize>a << 2)) != 0; a++) {
      const joint: u32 = load<u16>(jointPtr + (<usize>a << 1));
      for (let e = load<u32>(offsetPtr + (<usize>p << 2)); e < last; e++) {
        const n = load<u32>(neighbourPtr + (<usize>e << 2));
        const b = slotOf(joint, n * stride, stride, jointPtr, valuePtr);
        if (b == MIXED) store<u8>(borderPtr + a, 1);
        // Two mixed points meet twice.
        else if (n > p || load<u32>(soloPtr + (<usize>n << 2)) != MIXED) unite(parentPtr, a, b);
      }
    }
  }
  // 3. How much weight each piece holds.
  let count = 0;
  for (let p: u32 = 0; p < <u32>pointCount; p++) {
    for (let node = p * stride; node < (p + 1) * stride; node++) {
      const value = load<f32>(valuePtr + (<usize>node << 2));
      if (value == 0) break;
      const root = find(parentPtr, node);
      store<f32>(massPtr + (<usize>root << 2), load<f32>(massPtr + (<usize>root << 2)) + value);
      if (load<u8>(borderPtr + node) != 0) store<u8>(borderPtr + root, 1);
      if (root == node) {
        store<u32>(rootPtr + (<usize>count << 2), node);
        count++;
      }
      store<u32>(parentPtr + (<usize>node << 2), root);
    }
  }
  return count;
}

// Members by their keys, rising within a key; those with a key below zero are left out. `starts`: groupCount + 1, zero.
export function groupByKey(keyPtr: usize, count: i32, groupCount: i32, startPtr: usize, endPtr: usize, memberPtr: usize): void {
  for (let i: usize = 0; i < <usize>count; i++) {
    const key = load<i32>(keyPtr + (i << 2));
    if (key < 0) continue;
    const at = startPtr + (<usize>key << 2);
    store<u32>(at, load<u32>(at, 4) + 1, 4);
  }
  for (let g: usize = 0; g < <usize>groupCount; g++) {
    const at = startPtr + (g << 2);
    store<u32>(at, load<u32>(at, 4) + load<u32>(at), 4);
  }
  memory.copy(endPtr, startPtr, <usize>groupCount << 2);
  for (let i: usize = 0; i < <usize>count; i++) {
    const key = load<i32>(keyPtr + (i << 2));
    if (key < 0) continue;
    const at = endPtr + (<usize>key << 2);
    const end = load<u32>(at);
    store<u32>(memberPtr + (<usize>end << 2), <u32>i);
    store<u32>(at, end + 1);
  }
}

// See fillIslands in the twin. Returns how many islands there are.
export function fillIslands(pointCount: i32, offsetPtr: usize, neighbourPtr: usize, islandPtr: usize, queuePtr: usize): i32 {
  memory.fill(islandPtr, 255, <usize>pointCount << 2);
  let count = 0;
  for (let seed: usize = 0; seed < <usize>pointCount; seed++) {
    if (load<i32>(islandPtr + (seed << 2)) >= 0) continue;
    if (load<u32>(offsetPtr + (seed << 2)) == load<u32>(offsetPtr + (seed << 2), 4)) continue;
    let head = queuePtr, tail = queuePtr + 4;
    store<u32>(queuePtr, <u32>seed);
    store<i32>(islandPtr + (seed << 2), count);
    while (head < tail) {
      const at = offsetPtr + (<usize>load<u32>(head) << 2);
      head += 4;
      const last = load<u32>(at, 4);
      for (let k = load<u32>(at); k < last; k++) {
        const n = load<u32>(neighbourPtr + (<usize>k << 2));
        const island = islandPtr + (<usize>n << 2);
        if (load<i32>(island) >= 0) continue;
        store<i32>(island, count);
        store<u32>(tail, n);
        tail += 4;
      }
    }
    count++;
  }
  return count;
}

// Points that hold weight in a marked piece: written to `out`, their number returned.
export function listMarked(
  pointCount: i32, stride: u32, valuePtr: usize, piecePtr: usize, markPtr: usize, outPtr: usize,
): i32 {
  let count = 0;
  for (let p: u32 = 0; p < <u32>pointCount; p++) {
    for (let node = p * stride; node < (p + 1) * stride && load<f32>(valuePtr + (<usize>node << 2)) != 0; node++) {
      if (load<u8>(markPtr + load<u32>(piecePtr + (<usize>node << 2))) == 0) continue;
      store<u32>(outPtr + (<usize>count << 2), p);
      count++;
      break;
    }
  }
  return count;
}

export function shiftIndices(ptr: usize, count: i32, shift: u32): void {
  for (let at = ptr, end = ptr + (<usize>count << 2); at < end; at += 4) store<u32>(at, load<u32>(at) + shift);
}

// Positions moved by a matrix (16 numbers, columns first), in place.
export function movePositions(ptr: usize, count: i32, matrixPtr: usize): void {
  const m0 = <f64>load<f32>(matrixPtr), m1 = <f64>load<f32>(matrixPtr, 4), m2 = <f64>load<f32>(matrixPtr, 8);
  const m4 = <f64>load<f32>(matrixPtr, 16), m5 = <f64>load<f32>(matrixPtr, 20), m6 = <f64>load<f32>(matrixPtr, 24);
  const m8 = <f64>load<f32>(matrixPtr, 32), m9 = <f64>load<f32>(matrixPtr, 36), m10 = <f64>load<f32>(matrixPtr, 40);
  const m12 = <f64>load<f32>(matrixPtr, 48), m13 = <f64>load<f32>(matrixPtr, 52), m14 = <f64>load<f32>(matrixPtr, 56);
  for (let at = ptr, end = ptr + <usize>count * 12; at < end; at += 12) {
    const x = <f64>load<f32>(at), y = <f64>load<f32>(at, 4), z = <f64>load<f32>(at, 8);
    store<f32>(at, <f32>(m0 * x + m4 * y + m8 * z + m12));
    store<f32>(at, <f32>(m1 * x + m5 * y + m9 * z + m13), 4);
    store<f32>(at, <f32>(m2 * x + m6 * y + m10 * z + m14), 8);
  }
}
