// Nearest places on triangles. Twin: core/src/spatial/treeLoops.ts, the same tree to the bit, the same places but for ties.

const LEAF: i32 = 6;
const LEAST_HALF: f64 = 1.0 / 16.0;
const MAX_DEPTH: i32 = 384;
const ROUNDING: f64 = 1 + 1e-6;
const SLIVER: f64 = 1e-12;

const stack = memory.data(MAX_DEPTH * 4, 16);
const bounds = memory.data(MAX_DEPTH * 8, 16);

// The tree that is being grown.
let made: i32 = 0;
let positions: usize = 0, triangles: usize = 0, order: usize = 0, centres: usize = 0, corners: usize = 0;
let halves: usize = 0, counts: usize = 0, boxes: usize = 0;

@inline
function at(point: u32): usize { return positions + <usize>point * 12; }

@inline
function load3(from: usize): v128 {
  return f32x4.replace_lane(v128.load64_zero(from), 2, load<f32>(from, 8));
}

export function growTree(
  positionPtr: usize, trianglePtr: usize, count: i32, orderPtr: usize, centrePtr: usize, cornerPtr: usize,
  halfPtr: usize, countPtr: usize, boxPtr: usize,
): void {
  positions = positionPtr;
  triangles = trianglePtr;
  order = orderPtr;
  centres = centrePtr;
  corners = cornerPtr;
  halves = halfPtr;
  counts = countPtr;
  boxes = boxPtr;
  made = 1;
  for (let i: usize = 0; i < <usize>count; i++) {
    store<u32>(order + (i << 2), <u32>i);
    const corner = triangles + i * 12;
    const a = at(load<u32>(corner)), b = at(load<u32>(corner, 4)), c = at(load<u32>(corner, 8));
    for (let k: usize = 0; k < 12; k += 4) {
      const sum = <f64>load<f32>(a + k) + <f64>load<f32>(b + k) + <f64>load<f32>(c + k);
      store<f32>(centres + (i << 4) + k, <f32>sum);
    }
  }
  if (count > 0) grow(0, 0, count);
}

function grow(node: i32, from: i32, to: i32): void {
  if (to - from <= LEAF) {
    store<i32>(halves + (<usize>node << 2), -1 - from);
    store<u8>(counts + <usize>node, <u8>(to - from));
    layLeaf(boxes + (<usize>node << 5), from, to);
    return;
  }
  const middle = halve(from, to);
  const half = made;
  store<i32>(halves + (<usize>node << 2), half);
  made += 2;
  grow(half, from, middle);
  grow(half + 1, middle, to);
  const box = boxes + (<usize>node << 5), a = boxes + (<usize>half << 5);
  v128.store(box, f32x4.pmin(v128.load(a), v128.load(a, 32)));
  v128.store(box, f32x4.pmax(v128.load(a, 16), v128.load(a, 48)), 16);
}

function layLeaf(box: usize, from: i32, to: i32): void {
  let low = f32x4.splat(Infinity), high = f32x4.splat(-Infinity);
  let out = corners + <usize>from * 36;
  for (let i = from; i < to; i++) {
    const corner = triangles + <usize>load<u32>(order + (<usize>i << 2)) * 12;
    for (let k: usize = 0; k < 12; k += 4) {
      const place = load3(at(load<u32>(corner + k)));
      v128.store64_lane(out, place, 0);
      store<f32>(out, f32x4.extract_lane(place, 2), 8);
      out += 12;
      low = f32x4.pmin(low, place);
      high = f32x4.pmax(high, place);
    }
  }
  v128.store(box, f32x4.replace_lane(low, 3, 0));
  v128.store(box, f32x4.replace_lane(high, 3, 0), 16);
}

function halve(from: i32, to: i32): i32 {
  let low = f32x4.splat(Infinity), high = f32x4.splat(-Infinity);
  for (let i = centres + (<usize>from << 4), end = centres + (<usize>to << 4); i < end; i += 16) {
    const centre = v128.load(i);
    low = f32x4.pmin(low, centre);
    high = f32x4.pmax(high, centre);
  }
  const lx = <f64>f32x4.extract_lane(low, 0), ly = <f64>f32x4.extract_lane(low, 1), lz = <f64>f32x4.extract_lane(low, 2);
  const x = <f64>f32x4.extract_lane(high, 0) - lx;
  const y = <f64>f32x4.extract_lane(high, 1) - ly;
  const z = <f64>f32x4.extract_lane(high, 2) - lz;
  const axis: usize = x >= y && x >= z ? 0 : y >= z ? 4 : 8;
  const middle = axis == 0 ? lx + x / 2 : axis == 4 ? ly + y / 2 : lz + z / 2;
  const split = part(from, to, axis, middle);
  const least = max<i32>(2, <i32>floor(<f64>(to - from) * LEAST_HALF));
  if (split - from >= least && to - split >= least) return split;
  const median = (from + to) >> 1;
  select(axis, from, to - 1, median);
  return median;
}

@inline
function along(place: i32, axis: usize): f64 { return <f64>load<f32>(centres + (<usize>place << 4) + axis); }

function part(from: i32, to: i32, axis: usize, middle: f64): i32 {
  let i = from, j = to - 1;
  while (true) {
    while (i <= j && along(i, axis) < middle) i++;
    while (i <= j && !(along(j, axis) < middle)) j--;
    if (i >= j) break;
    swap(i++, j--);
  }
  return i;
}

function select(axis: usize, from: i32, to: i32, wanted: i32): void {
  let left = from, right = to;
  while (left < right) {
    const pivot = along((left + right) >> 1, axis);
    let i = left, j = right;
    while (i <= j) {
      while (along(i, axis) < pivot) i++;
      while (along(j, axis) > pivot) j--;
      if (i <= j) swap(i++, j--);
    }
    if (wanted <= j) right = j;
    else if (wanted >= i) left = i;
    else return;
  }
}

@inline
function swap(i: i32, j: i32): void {
  const a = order + (<usize>i << 2), b = order + (<usize>j << 2);
  const held = load<u32>(a);
  store<u32>(a, load<u32>(b));
  store<u32>(b, held);
  const c = centres + (<usize>i << 4), d = centres + (<usize>j << 4);
  const centre = v128.load(c);
  v128.store(c, v128.load(d));
  v128.store(d, centre);
}

// What the search has found: shares of the corners with the squared distance.
let shareU: f64 = 0, shareV: f64 = 0, shareW: f64 = 0;

export function nearestOfPlaces(
  orderPtr: usize, cornerPtr: usize, halfPtr: usize, countPtr: usize, boxPtr: usize,
  placePtr: usize, count: i32, trianglePtr: usize, sharePtr: usize, distancePtr: usize,
): void {
  let place: i32 = -1;
  let distance: f64 = 0;
  for (let p: usize = 0; p < <usize>count; p++) {
    const from = placePtr + p * 12;
    let most: f64 = Infinity;
    if (place >= 0) {
      const dx = <f64>load<f32>(from) - <f64>load<f32>(from - 12);
      const dy = <f64>load<f32>(from, 4) - <f64>load<f32>(from - 8);
      const dz = <f64>load<f32>(from, 8) - <f64>load<f32>(from - 4);
      most = (distance + sqrt<f64>(dx * dx + dy * dy + dz * dz)) * ROUNDING;
    }
    place = search(cornerPtr, halfPtr, countPtr, boxPtr, from, most * most);
    if (place < 0 && most < Infinity) place = search(cornerPtr, halfPtr, countPtr, boxPtr, from, Infinity);
    distance = sqrt<f64>(squared);
    store<i32>(trianglePtr + (p << 2), place < 0 ? -1 : load<u32>(orderPtr + (<usize>place << 2)));
    store<f32>(sharePtr + p * 12, <f32>shareU);
    store<f32>(sharePtr + p * 12, <f32>shareV, 4);
    store<f32>(sharePtr + p * 12, <f32>shareW, 8);
    store<f32>(distancePtr + (p << 2), <f32>distance);
  }
}

let squared: f64 = 0;

// The nearest triangle's place in the tree, -1 for none nearer than the root of `most`.
function search(cornerPtr: usize, halfPtr: usize, countPtr: usize, boxPtr: usize, from: usize, most: f64): i32 {
  const x = <f64>load<f32>(from), y = <f64>load<f32>(from, 4), z = <f64>load<f32>(from, 8);
  const place = load3(from);
  let found: i32 = -1;
  let u: f64 = 0, v: f64 = 0, w: f64 = 0;
  let least = most;
  let top: usize = 0;
  let node: usize = 0;
  while (true) {
    const lower = load<i32>(halfPtr + (node << 2));
    if (lower >= 0) {
      const box = boxPtr + (<usize>lower << 5);
      const low = boxDistance(box, place), high = boxDistance(box + 32, place);
      const isLowNear = low <= high;
      const near = isLowNear ? low : high, far = isLowNear ? high : low;
      if (near < least) {
        if (far < least) {
          store<i32>(stack + (top << 2), isLowNear ? lower + 1 : lower);
          store<f64>(bounds + (top << 3), far);
          top++;
        }
        node = isLowNear ? lower : lower + 1;
        continue;
      }
    } else {
      for (let i = -1 - lower, end = i + <i32>load<u8>(countPtr + node); i < end; i++) {
        const far = closest(cornerPtr + <usize>i * 36, x, y, z);
        if (!(far < least)) continue;
        least = far;
        found = i;
        u = shareU;
        v = shareV;
        w = shareW;
      }
    }
    do {
      if (top-- == 0) break;
    } while (load<f64>(bounds + (top << 3)) >= least);
    if (<isize>top < 0) break;
    node = load<i32>(stack + (top << 2));
  }
  shareU = u;
  shareV = v;
  shareW = w;
  squared = least;
  return found;
}

// Squared, in f32: a box that touches what is nearest may be passed over for rounding, one that holds something nearer not.
@inline
function boxDistance(box: usize, place: v128): f64 {
  const off = f32x4.pmax(f32x4.splat(0), f32x4.pmax(f32x4.sub(v128.load(box), place), f32x4.sub(place, v128.load(box, 16))));
  const squares = f32x4.mul(off, off);
  return <f64>(f32x4.extract_lane(squares, 0) + f32x4.extract_lane(squares, 1) + f32x4.extract_lane(squares, 2));
}

@inline
function within(share: f64): f64 { return min<f64>(1, max<f64>(0, share)); }

// See closestOnTriangle in the twin.
function closest(from: usize, x: f64, y: f64, z: f64): f64 {
  const ax = <f64>load<f32>(from), ay = <f64>load<f32>(from, 4), az = <f64>load<f32>(from, 8);
  const ux = <f64>load<f32>(from, 12) - ax, uy = <f64>load<f32>(from, 16) - ay, uz = <f64>load<f32>(from, 20) - az;
  const vx = <f64>load<f32>(from, 24) - ax, vy = <f64>load<f32>(from, 28) - ay, vz = <f64>load<f32>(from, 32) - az;
  const px = x - ax, py = y - ay, pz = z - az;
  const d1 = ux * px + uy * py + uz * pz, d2 = vx * px + vy * py + vz * pz;
  const uu = ux * ux + uy * uy + uz * uz, uv = ux * vx + uy * vy + uz * vz, vv = vx * vx + vy * vy + vz * vz;
  const d3 = d1 - uu, d4 = d2 - uv, d5 = d1 - uv, d6 = d2 - vv;
  const vc = d1 * d4 - d3 * d2, vb = d5 * d2 - d1 * d6, va = d3 * d6 - d5 * d4;
  let s: f64 = 0, t: f64 = 0;
  if (d1 <= 0 && d2 <= 0) {
    // The first corner.
  } else if (d3 >= 0 && d4 <= d3) s = 1;
  else if (d6 >= 0 && d5 <= d6) t = 1;
  else if (vc <= 0 && d1 >= 0 && d3 <= 0) s = uu > 0 ? d1 / uu : 0;
  else if (vb <= 0 && d2 >= 0 && d6 <= 0) t = vv > 0 ? d2 / vv : 0;
  else if (va <= 0 && d4 - d3 >= 0 && d5 - d6 >= 0) {
    const across = d4 - d3 + (d5 - d6);
    t = across > 0 ? (d4 - d3) / across : 0;
    s = 1 - t;
  } else {
    const whole = va + vb + vc;
    if (whole > SLIVER * uu * vv) {
      s = vb / whole;
      t = vc / whole;
    } else {
      const ww = uu - 2 * uv + vv;
      if (ww >= uu && ww >= vv) {
        t = ww > 0 ? within((d4 - d3) / ww) : 0;
        s = 1 - t;
      } else if (uu >= vv) s = within(d1 / uu);
      else t = within(d2 / vv);
    }
  }
  shareU = 1 - s - t;
  shareV = s;
  shareW = t;
  const dx = px - s * ux - t * vx, dy = py - s * uy - t * vy, dz = pz - s * uz - t * vz;
  return dx * dx + dy * dy + dz * dz;
}
