// What a surface has done at anchors since rest. Twin: core/src/deform/follow/frames.ts; here in f32.

@inline
function load3(from: usize): v128 {
  return f32x4.replace_lane(v128.load64_zero(from), 2, load<f32>(from, 8));
}

@inline
function dot3(a: v128, b: v128): f32 {
  const each = f32x4.mul(a, b);
  return f32x4.extract_lane(each, 0) + f32x4.extract_lane(each, 1) + f32x4.extract_lane(each, 2);
}

// y, z, x of one by z, x, y of the other, and the other way round.
@inline
function cross3(a: v128, b: v128): v128 {
  const turnedA = v128.shuffle<f32>(a, a, 1, 2, 0, 3), turnedB = v128.shuffle<f32>(b, b, 1, 2, 0, 3);
  const over = f32x4.sub(f32x4.mul(a, turnedB), f32x4.mul(turnedA, b));
  return v128.shuffle<f32>(over, over, 1, 2, 0, 3);
}

export function layTurns(
  anchorPtr: usize, count: i32, framePtr: usize, restPtr: usize, positionPtr: usize, normalPtr: usize, scalePtr: usize,
  ownPtr: usize, besidePtr: usize, palettePtr: usize,
): void {
  for (let i: usize = 0; i < <usize>count; i++) {
    const anchor = <usize>load<u32>(anchorPtr + (i << 2));
    const own = <usize>load<u32>(ownPtr + (anchor << 2)), beside = <usize>load<u32>(besidePtr + (anchor << 2));
    const frame = framePtr + anchor * 36, out = palettePtr + (anchor << 6), rest = restPtr + own * 12;
    const scale = load<f32>(scalePtr + (own << 2));
    const place = load3(positionPtr + own * 12), normal = load3(normalPtr + own * 12);
    let across = f32x4.sub(load3(positionPtr + beside * 12), place);
    across = f32x4.sub(across, f32x4.mul(f32x4.splat(dot3(across, normal)), normal));
    const length = sqrt<f32>(dot3(across, across));
    let x = f32x4(scale, 0, 0, 0), y = f32x4(0, scale, 0, 0), z = f32x4(0, 0, scale, 0);
    const isTold = load<f32>(frame, 24) != 0 || load<f32>(frame, 28) != 0 || load<f32>(frame, 32) != 0;
    if (length > 0 && dot3(normal, normal) > 0.5 && isTold) {
      across = f32x4.div(across, f32x4.splat(length));
      const both = cross3(normal, across);
      const a = f32x4.mul(f32x4.splat(scale), across), b = f32x4.mul(f32x4.splat(scale), both), c = f32x4.mul(f32x4.splat(scale), normal);
      x = turned(a, b, c, frame);
      y = turned(a, b, c, frame + 4);
      z = turned(a, b, c, frame + 8);
    }
    const there = f32x4.add(
      f32x4.add(f32x4.mul(x, v128.load32_splat(rest)), f32x4.mul(y, v128.load32_splat(rest, 4))),
      f32x4.mul(z, v128.load32_splat(rest, 8)),
    );
    v128.store(out, x);
    v128.store(out, y, 16);
    v128.store(out, z, 32);
    v128.store(out, f32x4.replace_lane(f32x4.sub(place, there), 3, 1), 48);
  }
}

@inline
function turned(a: v128, b: v128, c: v128, frame: usize): v128 {
  return f32x4.add(
    f32x4.add(f32x4.mul(a, v128.load32_splat(frame)), f32x4.mul(b, v128.load32_splat(frame, 12))),
    f32x4.mul(c, v128.load32_splat(frame, 24)),
  );
}
