// Relaxing a deformed surface: smoothing, and the rest detail carried back (Mancewicz et al. 2014).
// Twin: core/src/deform/relax.ts. Places lie in four floats each, of which the last is never read.

@inline
function at16(ptr: usize, point: usize): usize { return ptr + (point << 4); }

// One pass over listed points: each goes a share of the way to the middle of its neighbours.
export function relaxPass(
  listPtr: usize, count: i32, fromPtr: usize, toPtr: usize, offsetPtr: usize, neighbourPtr: usize, share: f32,
): void {
  const part = f32x4.splat(share);
  for (let i: usize = 0; i < <usize>count; i++) {
    const p: usize = load<u32>(listPtr + (i << 2));
    const own = v128.load(at16(fromPtr, p));
    const begin = load<u32>(offsetPtr + (p << 2));
    const end = load<u32>(offsetPtr + (p << 2), 4);
    if (begin == end) {
      v128.store(at16(toPtr, p), own);
      continue;
    }
    let sum = f32x4.splat(0);
    const last = neighbourPtr + (<usize>end << 2);
    for (let n = neighbourPtr + (<usize>begin << 2); n < last; n += 4) {
      sum = f32x4.add(sum, v128.load(at16(fromPtr, load<u32>(n))));
    }
    const middle = f32x4.mul(sum, f32x4.splat(<f32>1 / <f32>(end - begin)));
    v128.store(at16(toPtr, p), f32x4.add(own, f32x4.mul(part, f32x4.sub(middle, own))));
  }
}

@inline
function cross(a: v128, b: v128): v128 {
  const ayzx = v128.shuffle<i32>(a, a, 1, 2, 0, 3);
  const byzx = v128.shuffle<i32>(b, b, 1, 2, 0, 3);
  const c = f32x4.sub(f32x4.mul(a, byzx), f32x4.mul(ayzx, b));
  return v128.shuffle<i32>(c, c, 1, 2, 0, 3);
}

@inline
function dot(a: v128, b: v128): f32 {
  const m = f32x4.mul(a, b);
  return f32x4.extract_lane(m, 0) + f32x4.extract_lane(m, 1) + f32x4.extract_lane(m, 2);
}

// What the detail of listed points is in the frames of the smoothed surface: places and normals of the relaxed one, blended
// with the skinned ones. A point without a frame stays as it was skinned.
export function relaxFrames(
  listPtr: usize, count: i32, smoothPtr: usize, faceOffsetPtr: usize, facePtr: usize, trianglePtr: usize, tangentPtr: usize,
  detailPtr: usize, skinnedPtr: usize, normalPtr: usize, amountPtr: usize, strength: f32, outPositionPtr: usize, outNormalPtr: usize,
): void {
  for (let i: usize = 0; i < <usize>count; i++) {
    const p: usize = load<u32>(listPtr + (i << 2));
    const skinned = v128.load(at16(skinnedPtr, p));
    let place = skinned;
    let isFramed = false;
    const tangentTo = load<u32>(tangentPtr + (p << 2));
    const own = v128.load(at16(smoothPtr, p));
    if (tangentTo != 0xffffffff) {
      let normal = f32x4.splat(0);
      const last = facePtr + (<usize>load<u32>(faceOffsetPtr + (p << 2), 4) << 2);
      for (let f = facePtr + (<usize>load<u32>(faceOffsetPtr + (p << 2)) << 2); f < last; f += 4) {
        const t = trianglePtr + <usize>load<u32>(f) * 12;
        const a = v128.load(at16(smoothPtr, load<u32>(t)));
        const b = v128.load(at16(smoothPtr, load<u32>(t, 4)));
        const c = v128.load(at16(smoothPtr, load<u32>(t, 8)));
        normal = f32x4.add(normal, cross(f32x4.sub(b, a), f32x4.sub(c, a)));
      }
      const square = dot(normal, normal);
      if (square > 0) {
        normal = f32x4.mul(normal, f32x4.splat(<f32>1 / sqrt<f32>(square)));
        const edge = f32x4.sub(v128.load(at16(smoothPtr, tangentTo)), own);
        const long = dot(edge, edge);
        let tangent = f32x4.sub(edge, f32x4.mul(normal, f32x4.splat(dot(edge, normal))));
        const wide = dot(tangent, tangent);
        if (wide > <f32>1e-8 * long) {
          tangent = f32x4.mul(tangent, f32x4.splat(<f32>1 / sqrt<f32>(wide)));
          const across = cross(normal, tangent);
          const d = detailPtr + (p << 5);
          const relaxed = f32x4.add(own, f32x4.add(
            f32x4.mul(tangent, v128.load32_splat(d)),
            f32x4.add(f32x4.mul(across, v128.load32_splat(d, 4)), f32x4.mul(normal, v128.load32_splat(d, 8))),
          ));
          const turned = f32x4.add(
            f32x4.mul(tangent, v128.load32_splat(d, 12)),
            f32x4.add(f32x4.mul(across, v128.load32_splat(d, 16)), f32x4.mul(normal, v128.load32_splat(d, 20))),
          );
          const amount = amountPtr == 0 ? strength : strength * load<f32>(amountPtr + (p << 2));
          place = f32x4.add(skinned, f32x4.mul(f32x4.splat(amount), f32x4.sub(relaxed, skinned)));
          const n = normalPtr + p * 12;
          let as = f32x4.replace_lane(f32x4.splat(load<f32>(n)), 1, load<f32>(n, 4));
          as = f32x4.replace_lane(as, 2, load<f32>(n, 8));
          let mixed = f32x4.add(as, f32x4.mul(f32x4.splat(amount), f32x4.sub(turned, as)));
          const size = dot(mixed, mixed);
          if (size > 0) mixed = f32x4.mul(mixed, f32x4.splat(<f32>1 / sqrt<f32>(size)));
          v128.store64_lane(outNormalPtr + p * 12, mixed, 0);
          v128.store32_lane(outNormalPtr + p * 12, mixed, 2, 8);
          isFramed = true;
        }
      }
    }
    if (!isFramed) memory.copy(outNormalPtr + p * 12, normalPtr + p * 12, 12);
    const to = outPositionPtr + p * 12;
    v128.store64_lane(to, place, 0);
    v128.store32_lane(to, place, 2, 8);
  }
}
