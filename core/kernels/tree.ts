// Nearest places on triangles. Twin: core/src/spatial/treeLoops.ts, the same tree to the bit, the same places but for ties.

const CELL_BITS: i32 = 10;
const FEW: i32 = 64;
const DIGITS: usize = 1 << CELL_BITS;
// As f32x4 has lanes.
const LEAF: i32 = 4;
const MAX_WAITING: i32 = 2600;
const ROUNDING: f64 = 1 + 1e-6;
const SLIVER: f64 = 1e-12;
// In f32, by a triangle's and a place's size: how far off squares may be, and below what area that is more.
const UNSURE: f32 = 5e-4;
const THIN: f32 = 1e-2;

const MAX_NEAR: usize = 256;

// What is near a place: nodes, and leaves with how far they are.
const nearNodes = memory.data(<i32>MAX_NEAR * 4, 16);
const nearLeaves = memory.data(<i32>MAX_NEAR * 4, 16);
const nearFars = memory.data(<i32>MAX_NEAR * 4, 16);
// By which of four lanes are wanted: bytes that put those first.
const packs = memory.data(16 * 16, 16);

// What waits to be searched, and how far it is.

const stack = memory.data(MAX_WAITING * 4, 16);
const bounds = memory.data(MAX_WAITING * 4, 16);
const fars = memory.data(16, 16);

// Of each of three digits, how many items begin with less.
const starts = memory.data(<i32>DIGITS * 12, 16);

// The tree that is being grown.
let made: i32 = 0;
let positions: usize = 0, triangles: usize = 0, centres: usize = 0, corners: usize = 0, quarters: usize = 0, boxes: usize = 0;
let order: usize = 0, cells: usize = 0, spareOrder: usize = 0, spareCells: usize = 0;
// The box of the last that was made.
let low: v128 = f32x4.splat(0), high: v128 = f32x4.splat(0);

@inline
function at(point: u32): usize { return positions + <usize>point * 12; }

@inline
function load3(from: usize): v128 {
  return f32x4.replace_lane(v128.load64_zero(from), 2, load<f32>(from, 8));
}

export function growTree(
  positionPtr: usize, trianglePtr: usize, count: i32, centrePtr: usize, cornerPtr: usize, quarterPtr: usize, boxPtr: usize,
  orderPtr: usize, cellPtr: usize, spareOrderPtr: usize, spareCellPtr: usize,
): void {
  positions = positionPtr;
  triangles = trianglePtr;
  centres = centrePtr;
  corners = cornerPtr;
  quarters = quarterPtr;
  boxes = boxPtr;
  order = orderPtr;
  cells = cellPtr;
  spareOrder = spareOrderPtr;
  spareCells = spareCellPtr;
  made = 0;
  for (let i: usize = 0; i < <usize>count; i++) {
    const corner = triangles + i * 12;
    const a = load3(at(load<u32>(corner))), b = load3(at(load<u32>(corner, 4))), c = load3(at(load<u32>(corner, 8)));
    v128.store(centres + (i << 4), f32x4.add(f32x4.add(a, b), c));
    store<u32>(order + (i << 2), <u32>i);
  }
  if (count == 0) return;
  sortByCell(0, count);
  grow(0, count);
}

@inline
function centreOf(triangle: u32): v128 { return v128.load(centres + (<usize>triangle << 4)); }

// The box about middles.
@inline
function measureCentres(begin: usize, end: usize): void {
  let least = f32x4.splat(Infinity), most = f32x4.splat(-Infinity);
  for (let p = begin; p < end; p += 4) {
    const centre = centreOf(load<u32>(order + p));
    least = f32x4.pmin(least, centre);
    most = f32x4.pmax(most, centre);
  }
  low = least;
  high = most;
}

function sortByCell(from: i32, to: i32): void {
  const begin = <usize>from << 2, end = <usize>to << 2;
  measureCentres(begin, end);
  const least = low, span = f32x4.sub(high, low);
  const widest = max(max(f32x4.extract_lane(span, 0), f32x4.extract_lane(span, 1)), f32x4.extract_lane(span, 2));
  const scale = f32x4.splat(<f32>DIGITS / widest);
  if (to - from <= FEW) {
    for (let p = begin; p < end; p += 4) {
      const triangle = load<u32>(order + p);
      insert(begin, p, triangle, cellOf(triangle, least, scale));
    }
    return;
  }
  memory.fill(starts, 0, DIGITS * 12);
  for (let p = begin; p < end; p += 4) {
    const triangle = load<u32>(order + p);
    const cell = cellOf(triangle, least, scale);
    store<u32>(spareOrder + p, triangle);
    store<u32>(spareCells + p, cell);
    count(starts, cell);
    count(starts + (DIGITS << 2), cell >> CELL_BITS);
    count(starts + (DIGITS << 3), cell >> (2 * CELL_BITS));
  }
  sortByDigit(spareOrder, spareCells, order, cells, begin, end, 0);
  sortByDigit(order, cells, spareOrder, spareCells, begin, end, 1);
  sortByDigit(spareOrder, spareCells, order, cells, begin, end, 2);
}

@inline
function count(tallies: usize, digit: u32): void {
  const own = tallies + (<usize>(digit & <u32>(DIGITS - 1)) << 2);
  store<u32>(own, load<u32>(own) + 1);
}

// Puts a triangle that comes after others in its place among them.
@inline
function insert(begin: usize, at: usize, triangle: u32, cell: u32): void {
  let p = at;
  for (; p > begin && load<u32>(cells + p - 4) > cell; p -= 4) {
    store<u32>(cells + p, load<u32>(cells + p - 4));
    store<u32>(order + p, load<u32>(order + p - 4));
  }
  store<u32>(cells + p, cell);
  store<u32>(order + p, triangle);
}

function sortByDigit(
  fromOrder: usize, fromCells: usize, toOrder: usize, toCells: usize, begin: usize, end: usize, digit: usize,
): void {
  const tallies = starts + digit * (DIGITS << 2), shift = <u32>digit * CELL_BITS;
  let start = <u32>begin;
  for (let own = tallies, last = tallies + (DIGITS << 2); own < last; own += 4) {
    const many = load<u32>(own);
    store<u32>(own, start);
    start += many << 2;
  }
  for (let p = begin; p < end; p += 4) {
    const cell = load<u32>(fromCells + p);
    const own = tallies + (<usize>(cell >> shift & <u32>(DIGITS - 1)) << 2);
    const place = <usize>load<u32>(own);
    store<u32>(own, <u32>place + 4);
    store<u32>(toCells + place, cell);
    store<u32>(toOrder + place, load<u32>(fromOrder + p));
  }
}

// The cube of a grid, numbered so that those of each eighth of each cube of cubes follow one another (Morton 1966).
@inline
function cellOf(triangle: u32, least: v128, scale: v128): u32 {
  const steps = f32x4.mul(f32x4.sub(centreOf(triangle), least), scale);
  const step = i32x4.min_s(i32x4.splat(<i32>DIGITS - 1), i32x4.trunc_sat_f32x4_s(steps));
  let bits = v128.or(step, i32x4.shl(step, 16));
  bits = v128.and(bits, i32x4.splat(0x030000ff));
  bits = v128.and(v128.or(bits, i32x4.shl(bits, 8)), i32x4.splat(0x0300f00f));
  bits = v128.and(v128.or(bits, i32x4.shl(bits, 4)), i32x4.splat(0x030c30c3));
  bits = v128.and(v128.or(bits, i32x4.shl(bits, 2)), i32x4.splat(0x09249249));
  return i32x4.extract_lane(bits, 0) | i32x4.extract_lane(bits, 1) << 1 | i32x4.extract_lane(bits, 2) << 2;
}

// Makes a node of up to four quarters, and what is below it.
function grow(from: i32, to: i32): i32 {
  const node = made++;
  const b = to - from > LEAF ? halve(from, to) : to;
  const a = b - from > LEAF ? halve(from, b) : b, c = to - b > LEAF ? halve(b, to) : to;
  let least = f32x4.splat(Infinity), most = f32x4.splat(-Infinity);
  for (let q = 0; q < 4; q++) {
    const begin = q == 0 ? from : q == 1 ? a : q == 2 ? b : c;
    const end = q == 0 ? a : q == 1 ? b : q == 2 ? c : to;
    let below = 0;
    low = f32x4.splat(Infinity);
    high = f32x4.splat(-Infinity);
    if (end - begin > LEAF) below = grow(begin, end);
    else if (end > begin) {
      below = -1 - begin / LEAF;
      layLeaf(begin, end);
    }
    store<i32>(quarters + (<usize>node << 4) + (<usize>q << 2), below);
    const box = boxes + <usize>node * 96 + (<usize>q << 2);
    spread3(box, low);
    spread3(box + 48, high);
    least = f32x4.pmin(least, low);
    most = f32x4.pmax(most, high);
  }
  low = least;
  high = most;
  return node;
}

// Copies the corners of a leaf's triangles, four by four, and measures the box about them.
function layLeaf(from: i32, to: i32): void {
  let lower = f32x4.splat(Infinity), upper = f32x4.splat(-Infinity);
  for (let i = from; i < to; i++) {
    const triangle = triangles + <usize>load<u32>(order + (<usize>i << 2)) * 12;
    let out = cornersAt(i);
    for (let k: usize = 0; k < 12; k += 4, out += 48) {
      const point = load3(at(load<u32>(triangle + k)));
      spread3(out, point);
      lower = f32x4.pmin(lower, point);
      upper = f32x4.pmax(upper, point);
    }
  }
  for (let i = to; i < from + LEAF; i++) {
    let out = cornersAt(i);
    for (let k = 0; k < 9; k++, out += 16) store<f32>(out, NaN);
  }
  low = lower;
  high = upper;
}

// Stores x, y and z four numbers apart.
@inline
function spread3(out: usize, point: v128): void {
  v128.store32_lane(out, point, 0);
  v128.store32_lane(out, point, 1, 16);
  v128.store32_lane(out, point, 2, 32);
}

@inline
function cornersAt(place: i32): usize { return corners + <usize>(place >> 2) * 144 + (<usize>(place & 3) << 2); }

// Where the upper half of the cells begins, so that leaves are full. Where all lie in one cell, that is divided first.
function halve(from: i32, to: i32): i32 {
  if (cellAt(from) == cellAt(to - 1)) sortByCell(from, to);
  const first = cellAt(from), last = cellAt(to - 1);
  let over = (from + to) >> 1;
  if (first != last) {
    const bit = 31 - clz(first ^ last);
    const upper = last >> bit << bit;
    let under = from;
    over = to - 1;
    while (over - under > 1) {
      const middle = (under + over) >> 1;
      if (cellAt(middle) < upper) under = middle;
      else over = middle;
    }
  }
  const leaves = max(1, min((over - from + LEAF / 2) / LEAF, (to - from - 1) / LEAF));
  return from + leaves * LEAF;
}

@inline
function cellAt(place: i32): u32 { return load<u32>(cells + (<usize>place << 2)); }

// What the search has found: the triangle's place in the tree, -1 for none; the squared distance, or what it must be below;
// shares of the corners.
let found: i32 = -1;
let least: f64 = 0, shareU: f64 = 0, shareV: f64 = 0, shareW: f64 = 0;

export function nearestOfPlaces(
  orderPtr: usize, cornerPtr: usize, quarterPtr: usize, boxPtr: usize,
  placePtr: usize, count: i32, trianglePtr: usize, sharePtr: usize, distancePtr: usize,
): void {
  order = orderPtr;
  corners = cornerPtr;
  quarters = quarterPtr;
  boxes = boxPtr;
  found = -1;
  layPacks();
  for (let p: usize = 0; p < <usize>count; p++) {
    const from = placePtr + p * 12;
    const before = found;
    found = -1;
    if (before >= 0) {
      const dx = <f64>load<f32>(from) - <f64>load<f32>(from - 12);
      const dy = <f64>load<f32>(from, 4) - <f64>load<f32>(from - 8);
      const dz = <f64>load<f32>(from, 8) - <f64>load<f32>(from - 4);
      const most = (sqrt<f64>(least) + sqrt<f64>(dx * dx + dy * dy + dz * dz)) * ROUNDING;
      least = most * most;
      if (isNearer(corners + <usize>(before >> 2) * 144 + (<usize>(before & 3) << 2), from)) found = before;
      searchNear(from);
    }
    if (found < 0) {
      least = Infinity;
      search(from);
    }
    store<i32>(trianglePtr + (p << 2), found < 0 ? -1 : load<u32>(order + (<usize>found << 2)));
    store<f32>(sharePtr + p * 12, <f32>shareU);
    store<f32>(sharePtr + p * 12, <f32>shareV, 4);
    store<f32>(sharePtr + p * 12, <f32>shareW, 8);
    store<f32>(distancePtr + (p << 2), <f32>sqrt<f64>(least));
  }
}

function layPacks(): void {
  for (let wanted: u32 = 0; wanted < 16; wanted++) {
    let out = packs + (<usize>wanted << 4);
    for (let lane: u32 = 0; lane < 4; lane++) {
      if ((wanted >> lane & 1) == 0) continue;
      store<u32>(out, 0x03020100 + lane * 0x04040404);
      out += 4;
    }
  }
}

// Boxes are measured in f32: one that touches what is nearest may be passed over for rounding, one that holds something
// nearer not.
@inline
function boxDistances(node: i32, x: v128, y: v128, z: v128): v128 {
  const box = boxes + <usize>node * 96;
  const dx = off(box, x), dy = off(box + 16, y), dz = off(box + 32, z);
  return f32x4.add(f32x4.add(f32x4.mul(dx, dx), f32x4.mul(dy, dy)), f32x4.mul(dz, dz));
}

// How far outside places lie along one axis.
@inline
function off(box: usize, place: v128): v128 {
  return f32x4.pmax(f32x4.splat(0), f32x4.pmax(f32x4.sub(v128.load(box), place), f32x4.sub(place, v128.load(box, 48))));
}

@inline
function limit(): v128 { return f32x4.splat(<f32>(least * ROUNDING)); }

// Where something near is known: lists all leaves that are as near, without asking which is nearer, as that is what takes
// long; then measures them, the nearest first.
function searchNear(from: usize): void {
  const x = v128.load32_splat(from), y = v128.load32_splat(from, 4), z = v128.load32_splat(from, 8);
  const most = limit();
  let nodes: usize = 4, leaves: usize = 0;
  store<i32>(nearNodes, 0);
  for (let n: usize = 0; n < nodes; n += 4) {
    const node = load<i32>(nearNodes + n);
    const far = boxDistances(node, x, y, z);
    const near = <u32>i32x4.bitmask(f32x4.lt(far, most));
    const below = v128.load(quarters + (<usize>node << 4));
    const isLeaf = <u32>i32x4.bitmask(below), isNode = near & ~isLeaf;
    v128.store(nearNodes + nodes, i8x16.swizzle(below, v128.load(packs + (<usize>isNode << 4))));
    nodes += <usize>popcnt<u32>(isNode) << 2;
    const pack = v128.load(packs + (<usize>(near & isLeaf) << 4));
    v128.store(nearLeaves + leaves, i8x16.swizzle(below, pack));
    v128.store(nearFars + leaves, i8x16.swizzle(far, pack));
    leaves += <usize>popcnt<u32>(near & isLeaf) << 2;
    if (max(nodes, leaves) > (MAX_NEAR - 4) * 4) {
      search(from);
      return;
    }
  }
  let first: usize = 0;
  for (let i: usize = 4; i < leaves; i += 4)
    first = load<f32>(nearFars + i) < load<f32>(nearFars + first) ? i : first;
  if (leaves > 0) measureLeaf(-1 - load<i32>(nearLeaves + first), from);
  for (let i: usize = 0; i < leaves; i += 4)
    if (i != first && <f64>load<f32>(nearFars + i) < least) measureLeaf(-1 - load<i32>(nearLeaves + i), from);
}

// Goes to what is nearest first. A place that is no number is near nothing, and is not looked for everywhere.
function search(from: usize): void {
  if (!(abs(load<f32>(from)) + abs(load<f32>(from, 4)) + abs(load<f32>(from, 8)) < Infinity)) return;
  const x = v128.load32_splat(from), y = v128.load32_splat(from, 4), z = v128.load32_splat(from, 8);
  let node: i32 = 0;
  let top: usize = 0;
  while (true) {
    if (node >= 0) {
      const far = boxDistances(node, x, y, z);
      v128.store(fars, far);
      const base = top;
      for (let near = i32x4.bitmask(f32x4.lt(far, limit())); near != 0; near &= near - 1) {
        const q: usize = <usize>ctz<i32>(near) << 2;
        wait(base, top, load<i32>(quarters + (<usize>node << 4) + q), load<f32>(fars + q));
        top += 4;
      }
    } else measureLeaf(-1 - node, from);
    do {
      if (top == 0) return;
      top -= 4;
    } while (<f64>load<f32>(bounds + top) >= least);
    node = load<i32>(stack + top);
  }
}

// Puts a quarter among those that wait, from `base` the nearest last.
@inline
function wait(base: usize, top: usize, quarter: i32, far: f32): void {
  let i = top;
  for (; i > base && load<f32>(bounds + i - 4) < far; i -= 4) {
    store<f32>(bounds + i, load<f32>(bounds + i - 4));
    store<i32>(stack + i, load<i32>(stack + i - 4));
  }
  store<f32>(bounds + i, far);
  store<i32>(stack + i, quarter);
}

function measureLeaf(leaf: i32, from: usize): void {
  const x = v128.load32_splat(from), y = v128.load32_splat(from, 4), z = v128.load32_splat(from, 8);
  const at = corners + <usize>leaf * 144;
  const far = atLeast(at, x, y, z);
  let near = i32x4.bitmask(f32x4.lt(far, limit()));
  if (near == 0) return;
  const pairs = f32x4.pmin(far, i32x4.shuffle(far, far, 2, 3, 0, 1));
  const least = f32x4.pmin(pairs, i32x4.shuffle(pairs, pairs, 1, 0, 3, 2));
  let lane = ctz(near & i32x4.bitmask(f32x4.eq(far, least)));
  while (true) {
    if (isNearer(at + (<usize>lane << 2), from)) {
      found = (leaf << 2) + lane;
      near &= i32x4.bitmask(f32x4.lt(far, limit()));
    }
    near &= ~(1 << lane);
    if (near == 0) return;
    lane = ctz(near);
  }
}

@inline
function dot(ax: v128, ay: v128, az: v128, bx: v128, by: v128, bz: v128): v128 {
  return f32x4.add(f32x4.add(f32x4.mul(ax, bx), f32x4.mul(ay, by)), f32x4.mul(az, bz));
}

// The square of how far a place on a side is: from the corner, the other corner's share and square.
@inline
function alongSide(square: v128, towards: v128, side: v128): v128 {
  const t = f32x4.pmin(f32x4.splat(1), f32x4.pmax(f32x4.splat(0), f32x4.div(towards, side)));
  return f32x4.sub(square, f32x4.mul(t, f32x4.sub(f32x4.add(towards, towards), f32x4.mul(t, side))));
}

// No more than the squared distances of four triangles: those that are farther need not be measured well.
@inline
function atLeast(from: usize, x: v128, y: v128, z: v128): v128 {
  const ax = v128.load(from), ay = v128.load(from, 16), az = v128.load(from, 32);
  const ux = f32x4.sub(v128.load(from, 48), ax), uy = f32x4.sub(v128.load(from, 64), ay), uz = f32x4.sub(v128.load(from, 80), az);
  const vx = f32x4.sub(v128.load(from, 96), ax), vy = f32x4.sub(v128.load(from, 112), ay), vz = f32x4.sub(v128.load(from, 128), az);
  const px = f32x4.sub(x, ax), py = f32x4.sub(y, ay), pz = f32x4.sub(z, az);
  const pp = dot(px, py, pz, px, py, pz), up = dot(ux, uy, uz, px, py, pz), vp = dot(vx, vy, vz, px, py, pz);
  const uu = dot(ux, uy, uz, ux, uy, uz), uv = dot(ux, uy, uz, vx, vy, vz), vv = dot(vx, vy, vz, vx, vy, vz);
  const whole = f32x4.mul(uu, vv), area = f32x4.sub(whole, f32x4.mul(uv, uv));
  const s = f32x4.sub(f32x4.mul(vv, up), f32x4.mul(uv, vp)), t = f32x4.sub(f32x4.mul(uu, vp), f32x4.mul(uv, up));
  const isOver = v128.and(
    v128.and(f32x4.gt(s, f32x4.splat(0)), f32x4.gt(t, f32x4.splat(0))), f32x4.lt(f32x4.add(s, t), area),
  );
  const over = f32x4.sub(pp, f32x4.div(f32x4.add(f32x4.mul(s, up), f32x4.mul(t, vp)), area));
  const third = f32x4.sub(f32x4.add(uu, vv), f32x4.add(uv, uv));
  const beside = f32x4.pmin(
    f32x4.pmin(alongSide(pp, up, uu), alongSide(pp, vp, vv)),
    alongSide(f32x4.sub(f32x4.add(pp, uu), f32x4.add(up, up)), f32x4.sub(f32x4.add(vp, uu), f32x4.add(up, uv)), third),
  );
  const squares = v128.bitselect(over, beside, isOver);
  const unsure = f32x4.mul(f32x4.splat(UNSURE), f32x4.add(pp, f32x4.add(uu, vv)));
  const isThin = f32x4.le(area, f32x4.mul(f32x4.splat(THIN), whole));
  return v128.bitselect(f32x4.splat(-1), f32x4.sub(squares, unsure), isThin);
}

@inline
function within(share: f64): f64 { return min<f64>(1, max<f64>(0, share)); }

// See closestOnTriangle.
function isNearer(from: usize, placePtr: usize): bool {
  const ax = <f64>load<f32>(from), ay = <f64>load<f32>(from, 16), az = <f64>load<f32>(from, 32);
  const ux = <f64>load<f32>(from, 48) - ax, uy = <f64>load<f32>(from, 64) - ay, uz = <f64>load<f32>(from, 80) - az;
  const vx = <f64>load<f32>(from, 96) - ax, vy = <f64>load<f32>(from, 112) - ay, vz = <f64>load<f32>(from, 128) - az;
  const px = <f64>load<f32>(placePtr) - ax, py = <f64>load<f32>(placePtr, 4) - ay, pz = <f64>load<f32>(placePtr, 8) - az;
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
  const dx = px - s * ux - t * vx, dy = py - s * uy - t * vy, dz = pz - s * uz - t * vz;
  const square = dx * dx + dy * dy + dz * dz;
  if (!(square < least)) return false;
  least = square;
  shareU = 1 - s - t;
  shareV = s;
  shareW = t;
  return true;
}
