// Dual quaternion skinning (Kavan et al. 2007) of positions and normals. Twin: core/src/deform/skinDual.ts.
// Palette: eight f32 a joint, the turn (x, y, z, w), then the dual part; signs: f32 jointCount², 1 or -1, whether two
// joints' turns lie in one half of the sphere. A scale that all joints share comes before, as three columns of four.

// a × b; lane 3 comes out as nothing.
@inline
function cross(a: v128, b: v128): v128 {
  const c = f32x4.sub(
    f32x4.mul(a, v128.shuffle<i32>(b, b, 1, 2, 0, 3)),
    f32x4.mul(v128.shuffle<i32>(a, a, 1, 2, 0, 3), b),
  );
  return v128.shuffle<i32>(c, c, 1, 2, 0, 3);
}

@inline
function turn(r: v128, w: v128, v: v128): v128 {
  const u = f32x4.add(cross(r, v), f32x4.mul(w, v));
  const c = cross(r, u);
  return f32x4.add(v, f32x4.add(c, c));
}

@inline
function skinPointDual(
  point: usize, restPtr: usize, normalPtr: usize, jointPtr: usize, valuePtr: usize, stride: usize,
  palettePtr: usize, unweighted: usize, signPtr: usize, jointCount: usize, scalePtr: usize,
  outPositionPtr: usize, outNormalPtr: usize,
): void {
  const rowJoint = jointPtr + point * stride * 2;
  const rowValue = valuePtr + point * stride * 4;
  let weight = load<f32>(rowValue);
  let joint: usize = weight == 0 ? unweighted : <usize>load<u16>(rowJoint);
  let at = palettePtr + (joint << 5);
  let real = v128.load(at);
  let dual = v128.load(at, 16);
  if (weight != 0 && weight != 1) {
    let w = f32x4.splat(weight);
    real = f32x4.mul(w, real);
    dual = f32x4.mul(w, dual);
    const signs = signPtr + joint * jointCount * 4;
    for (let k: usize = 1; k < stride; k++) {
      weight = load<f32>(rowValue + (k << 2));
      if (weight == 0) break;
      joint = <usize>load<u16>(rowJoint + (k << 1));
      at = palettePtr + (joint << 5);
      w = f32x4.splat(weight * load<f32>(signs + (joint << 2)));
      real = f32x4.add(real, f32x4.mul(w, v128.load(at)));
      dual = f32x4.add(dual, f32x4.mul(w, v128.load(at, 16)));
    }
    const square = f32x4.mul(real, real);
    const lengthSquared = f32x4.extract_lane(square, 0) + f32x4.extract_lane(square, 1)
      + f32x4.extract_lane(square, 2) + f32x4.extract_lane(square, 3);
    const inverse = f32x4.splat(<f32>1 / sqrt<f32>(lengthSquared));
    real = f32x4.mul(real, inverse);
    dual = f32x4.mul(dual, inverse);
  }
  const rw = v128.shuffle<i32>(real, real, 3, 3, 3, 3);
  const dw = v128.shuffle<i32>(dual, dual, 3, 3, 3, 3);
  // The translation: twice w·d − d.w·r + r × d.
  let moved = f32x4.add(f32x4.sub(f32x4.mul(rw, dual), f32x4.mul(dw, real)), cross(real, dual));
  moved = f32x4.add(moved, moved);
  const from = point * 12;
  let position = v128.load64_zero(restPtr + from);
  position = v128.load32_lane(restPtr + from, position, 2, 8);
  let normal = v128.load64_zero(normalPtr + from);
  normal = v128.load32_lane(normalPtr + from, normal, 2, 8);
  if (scalePtr != 0) {
    position = f32x4.add(
      f32x4.add(
        f32x4.mul(v128.load(scalePtr), v128.shuffle<i32>(position, position, 0, 0, 0, 0)),
        f32x4.mul(v128.load(scalePtr, 16), v128.shuffle<i32>(position, position, 1, 1, 1, 1)),
      ),
      f32x4.mul(v128.load(scalePtr, 32), v128.shuffle<i32>(position, position, 2, 2, 2, 2)),
    );
  }
  position = f32x4.add(turn(real, rw, position), moved);
  normal = turn(real, rw, normal);
  v128.store64_lane(outPositionPtr + from, position, 0);
  v128.store32_lane(outPositionPtr + from, position, 2, 8);
  v128.store64_lane(outNormalPtr + from, normal, 0);
  v128.store32_lane(outNormalPtr + from, normal, 2, 8);
}

export function skinDualRange(
  from: i32, to: i32, restPtr: usize, normalPtr: usize, jointPtr: usize, valuePtr: usize, stride: i32,
  palettePtr: usize, signPtr: usize, jointCount: i32, scalePtr: usize, outPositionPtr: usize, outNormalPtr: usize,
): void {
  for (let p = from; p < to; p++) {
    skinPointDual(
      p, restPtr, normalPtr, jointPtr, valuePtr, stride, palettePtr, jointCount, signPtr, jointCount, scalePtr,
      outPositionPtr, outNormalPtr,
    );
  }
}

// Points of `list` into slots; the slots of a list that stays in place are its own points.
export function skinDualSlots(
  listPtr: usize, slotPtr: usize, count: i32, restPtr: usize, normalPtr: usize, jointPtr: usize, valuePtr: usize,
  stride: i32, palettePtr: usize, signPtr: usize, jointCount: i32, scalePtr: usize, outPositionPtr: usize,
  outNormalPtr: usize,
): void {
  for (let i: usize = 0; i < <usize>count; i++) {
    const p: usize = load<u32>(listPtr + (i << 2));
    const shift = (<usize>load<u32>(slotPtr + (i << 2)) - p) * 12;
    skinPointDual(
      p, restPtr, normalPtr, jointPtr, valuePtr, stride, palettePtr, jointCount, signPtr, jointCount, scalePtr,
      outPositionPtr + shift, outNormalPtr + shift,
    );
  }
}
