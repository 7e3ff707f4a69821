// Linear blend skinning (Magnenat-Thalmann et al. 1988) of positions and normals, any number of influences.
// Twin: core/src/deform/skin.ts. All arguments named *Ptr are byte addresses in the shared memory.

// One point. Stores with lanes so that a list of points never touches its neighbours in memory.
@inline
function skinPoint(
  point: usize, restPtr: usize, normalPtr: usize, jointPtr: usize, valuePtr: usize, stride: usize,
  palettePtr: usize, unweightedPtr: usize, outPositionPtr: usize, outNormalPtr: usize,
): void {
  const rowJoint = jointPtr + point * stride * 2;
  const rowValue = valuePtr + point * stride * 4;
  let weight = load<f32>(rowValue);
  let c0: v128, c1: v128, c2: v128, c3: v128;
  if (weight == 0) {
    c0 = v128.load(unweightedPtr);
    c1 = v128.load(unweightedPtr, 16);
    c2 = v128.load(unweightedPtr, 32);
    c3 = v128.load(unweightedPtr, 48);
  } else {
    let m = palettePtr + (<usize>load<u16>(rowJoint) << 6);
    let w = f32x4.splat(weight);
    c0 = f32x4.mul(w, v128.load(m));
    c1 = f32x4.mul(w, v128.load(m, 16));
    c2 = f32x4.mul(w, v128.load(m, 32));
    c3 = f32x4.mul(w, v128.load(m, 48));
    for (let k: usize = 1; k < stride; k++) {
      weight = load<f32>(rowValue + (k << 2));
      if (weight == 0) break;
      m = palettePtr + (<usize>load<u16>(rowJoint + (k << 1)) << 6);
      w = f32x4.splat(weight);
      c0 = f32x4.add(c0, f32x4.mul(w, v128.load(m)));
      c1 = f32x4.add(c1, f32x4.mul(w, v128.load(m, 16)));
      c2 = f32x4.add(c2, f32x4.mul(w, v128.load(m, 32)));
      c3 = f32x4.add(c3, f32x4.mul(w, v128.load(m, 48)));
    }
  }
  const at = point * 12;
  const position = f32x4.add(
    f32x4.add(f32x4.mul(c0, v128.load32_splat(restPtr + at)), f32x4.mul(c1, v128.load32_splat(restPtr + at, 4))),
    f32x4.add(f32x4.mul(c2, v128.load32_splat(restPtr + at, 8)), c3),
  );
  v128.store64_lane(outPositionPtr + at, position, 0);
  v128.store32_lane(outPositionPtr + at, position, 2, 8);
  let normal = f32x4.add(
    f32x4.add(f32x4.mul(c0, v128.load32_splat(normalPtr + at)), f32x4.mul(c1, v128.load32_splat(normalPtr + at, 4))),
    f32x4.mul(c2, v128.load32_splat(normalPtr + at, 8)),
  );
  const square = f32x4.mul(normal, normal);
  const lengthSquared = f32x4.extract_lane(square, 0) + f32x4.extract_lane(square, 1) + f32x4.extract_lane(square, 2);
  if (lengthSquared > 0) normal = f32x4.mul(normal, f32x4.splat(<f32>1 / sqrt<f32>(lengthSquared)));
  v128.store64_lane(outNormalPtr + at, normal, 0);
  v128.store32_lane(outNormalPtr + at, normal, 2, 8);
}

export function skinRange(
  from: i32, to: i32, restPtr: usize, normalPtr: usize, jointPtr: usize, valuePtr: usize, stride: i32,
  palettePtr: usize, unweightedPtr: usize, outPositionPtr: usize, outNormalPtr: usize,
): void {
  for (let p = from; p < to; p++) {
    skinPoint(p, restPtr, normalPtr, jointPtr, valuePtr, stride, palettePtr, unweightedPtr, outPositionPtr, outNormalPtr);
  }
}

export function skinList(
  listPtr: usize, count: i32, restPtr: usize, normalPtr: usize, jointPtr: usize, valuePtr: usize, stride: i32,
  palettePtr: usize, unweightedPtr: usize, outPositionPtr: usize, outNormalPtr: usize,
): void {
  for (let i = 0; i < count; i++) {
    const p: usize = load<u32>(listPtr + (<usize>i << 2));
    skinPoint(p, restPtr, normalPtr, jointPtr, valuePtr, stride, palettePtr, unweightedPtr, outPositionPtr, outNormalPtr);
  }
}

// Points of `list` into slots of a smaller output (the i-th listed point is written at slots[i]): the bend strip's views.
export function skinSlots(
  listPtr: usize, slotPtr: usize, count: i32, restPtr: usize, normalPtr: usize, jointPtr: usize, valuePtr: usize, stride: i32,
  palettePtr: usize, unweightedPtr: usize, outPositionPtr: usize, outNormalPtr: usize,
): void {
  for (let i: usize = 0; i < <usize>count; i++) {
    const p: usize = load<u32>(listPtr + (i << 2));
    const slot: usize = load<u32>(slotPtr + (i << 2));
    // The output base is shifted so that point p lands in its slot.
    const shift = (slot - p) * 12;
    skinPoint(p, restPtr, normalPtr, jointPtr, valuePtr, stride, palettePtr, unweightedPtr, outPositionPtr + shift, outNormalPtr + shift);
  }
}
