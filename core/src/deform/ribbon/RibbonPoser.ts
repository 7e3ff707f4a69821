import { across, FRAMES, layCurve, type RibbonCurve } from './ribbonCurve.ts';
import type { LaidRibbon, Ribbon, RibbonState } from './Ribbon.ts';

/** Poses one ribbon: a matrix a frame, part space → scene, between which its points are blended. */
export class RibbonPoser {
  readonly #laid: LaidRibbon;
  readonly #rest: RibbonCurve;
  /** Float64Array, 12 a frame: three columns and a place. */
  readonly #frames = new Float64Array(FRAMES * 12);
  /** What was posed last. */
  readonly #posed: Float32Array;
  #state: RibbonState = { stretch: 1, bends: new Float64Array(FRAMES) };

  constructor(laid: LaidRibbon) {
    this.#laid = laid;
    const { ribbon, chain } = laid;
    this.#rest = restCurve(ribbon, chain);
    this.#posed = new Float32Array(ribbon.joints.length * 16).fill(NaN);
  }

  get laid(): LaidRibbon {
    return this.#laid;
  }

  get state(): RibbonState {
    return this.#state;
  }

  /** Takes a pose in. @param palette Float32Array, 16 a joint: part space → scene */
  pose(palette: Float32Array): void {
    const { joints } = this.#laid.ribbon;
    const isSame = joints.every((joint, j) =>
      this.#posed.subarray(j * 16, j * 16 + 16).every((x, e) => x === palette[joint * 16 + e]),
    );
    if (isSame) return;
    joints.forEach((joint, j) => this.#posed.set(palette.subarray(joint * 16, joint * 16 + 16), j * 16));
    this.#lay();
  }

  /** What a frame does to what stands at it at rest: twelve numbers, three columns and a place. */
  frame(frame: number): Float64Array {
    return this.#frames.subarray(frame * 12, frame * 12 + 12);
  }

  /** Where a point is on the ribbon, and how it faces. @param out 3 of a place, then 3 of a normal */
  place(point: number, rest: Float32Array, restNormals: Float32Array, out: Float64Array): void {
    const f = this.#laid.shares[point] * (FRAMES - 1);
    const low = Math.min(FRAMES - 2, Math.floor(f));
    const t = f - low;
    const [m, a, at] = [this.#frames, low * 12, point * 3];
    for (let k = 0; k < 3; k++) {
      const c = (column: number): number => (1 - t) * m[a + column * 3 + k] + t * m[a + 12 + column * 3 + k];
      const [x, y, z] = [c(0), c(1), c(2)];
      out[k] = x * rest[at] + y * rest[at + 1] + z * rest[at + 2] + c(3);
      out[3 + k] = x * restNormals[at] + y * restNormals[at + 1] + z * restNormals[at + 2];
    }
  }

  #lay(): void {
    const { ribbon, chain, scale } = this.#laid;
    const count = ribbon.joints.length;
    const posed = new Float64Array(chain.length);
    for (let i = 0; i * 3 < chain.length; i++) this.#carry(Math.min(i, count - 1), chain, i * 3, 1, posed);
    const way = (joint: number): number[] => {
      const out = new Float64Array(3);
      this.#carry(
        joint,
        Float64Array.from([0, 1, 2], (k) => chain[joint * 3 + 3 + k] - chain[joint * 3 + k]),
        0,
        0,
        out,
      );
      return [...out];
    };
    const normal = new Float64Array(3);
    this.#carry(0, this.#rest.normals, 0, 0, normal);
    const curve = layCurve(
      {
        controls: controlsAlong(posed, ribbon.controls, chain),
        ...(ribbon.isStartHeld && { start: way(0) }),
        ...(ribbon.isEndHeld && { end: way(count - 1) }),
      },
      normal,
    );
    const stretch = curve.length / (this.#rest.length * scale || 1);
    const bends = new Float64Array(FRAMES);
    this.#state = { stretch, bends };
    const rolls = this.#rolls(curve);
    const thin = ribbon.keepsVolume ? scale / Math.sqrt(stretch || 1) : scale;
    for (let f = 0; f < FRAMES; f++) this.#layFrame(curve, f, rolls[f], stretch * scale, thin);
  }

  /** How far each frame is rolled about the curve against those that turn least: as the joints have it, or evenly. */
  #rolls(curve: RibbonCurve): Float64Array {
    const { ribbon, chain } = this.#laid;
    const shares = sharesAlong(chain);
    const [held, mine] = [new Float64Array(3), new Float64Array(3)];
    let before = 0;
    const own = ribbon.joints.map((_, j) => {
      const f = Math.round(shares[j] * (FRAMES - 1));
      this.#carry(j, this.#rest.normals, f * 3, 0, held);
      across(held, curve.tangents, f * 3, mine, 0);
      const roll = angleAbout(curve, f, mine);
      before += wrap(roll - before);
      return before;
    });
    const last = own.at(-1) ?? 0;
    return Float64Array.from({ length: FRAMES }, (_, f) => {
      const s = f / (FRAMES - 1);
      if (ribbon.sharesTwist) return s * last;
      const j = Math.max(0, own.filter((_, i) => shares[i] <= s).length - 1);
      if (j === own.length - 1) return last;
      const t = (s - shares[j]) / (shares[j + 1] - shares[j] || 1);
      return (1 - t) * own[j] + t * own[j + 1];
    });
  }

  #layFrame(curve: RibbonCurve, f: number, roll: number, along: number, thin: number): void {
    const [rest, at] = [this.#rest, f * 3];
    const [c, s] = [Math.cos(roll), Math.sin(roll)];
    const [t0, n0] = [rest.tangents, rest.normals].map((of) => of.subarray(at, at + 3));
    const [t1, m1] = [curve.tangents, curve.normals].map((of) => of.subarray(at, at + 3));
    const [b0, q1] = [cross(t0, n0), cross(t1, m1)];
    const n1 = [0, 1, 2].map((k) => c * m1[k] + s * q1[k]);
    const b1 = cross(t1, n1);
    const toward = (of: RibbonCurve, way: ArrayLike<number>): number =>
      of.bends[at] * way[0] + of.bends[at + 1] * way[1] + of.bends[at + 2] * way[2];
    // What the pose adds to the bend that is there at rest.
    this.#state.bends[f] = Math.hypot(
      toward(curve, n1) - toward(rest, n0) / this.#laid.scale,
      toward(curve, b1) - toward(rest, b0) / this.#laid.scale,
    );
    const m = this.#frames;
    for (let column = 0; column < 3; column++)
      for (let k = 0; k < 3; k++)
        m[f * 12 + column * 3 + k] =
          along * t1[k] * t0[column] + thin * (n1[k] * n0[column] + b1[k] * b0[column]);
    for (let k = 0; k < 3; k++) {
      let moved = 0;
      for (let column = 0; column < 3; column++)
        moved += m[f * 12 + column * 3 + k] * rest.places[at + column];
      m[f * 12 + 9 + k] = curve.places[at + k] - moved;
    }
  }

  /** What a joint of the chain does to a place (w = 1) or a way (w = 0). */
  #carry(joint: number, from: Float64Array, at: number, w: number, out: Float64Array): void {
    const m = this.#posed.subarray(joint * 16, joint * 16 + 16);
    const to = out.length > 3 ? at : 0;
    for (let k = 0; k < 3; k++)
      out[to + k] = m[k] * from[at] + m[4 + k] * from[at + 1] + m[8 + k] * from[at + 2] + w * m[12 + k];
  }
}

/** A ribbon's curve at rest. @param chain Float64Array, 3 a joint and 3 for the end of the last one */
export function restCurve({ controls, isStartHeld, isEndHeld }: Ribbon, chain: Float64Array): RibbonCurve {
  const last = chain.length - 6;
  const way = (from: number): number[] => [0, 1, 2].map((k) => chain[from + 3 + k] - chain[from + k]);
  return layCurve(
    {
      controls: controlsAlong(chain, controls),
      ...(isStartHeld && { start: way(0) }),
      ...(isEndHeld && { end: way(last) }),
    },
    [0, 0, 0],
  );
}

/** By joint of a chain, and its end: how far along it stands, 0..1. */
export function sharesAlong(chain: Float64Array): Float64Array {
  const shares = new Float64Array(chain.length / 3);
  for (let i = 1; i < shares.length; i++)
    shares[i] =
      shares[i - 1] +
      Math.hypot(
        chain[i * 3] - chain[i * 3 - 3],
        chain[i * 3 + 1] - chain[i * 3 - 2],
        chain[i * 3 + 2] - chain[i * 3 - 1],
      );
  const all = shares[shares.length - 1] || 1;
  return shares.map((share) => share / all);
}

/** Places evenly along a chain. @param rest the chain by whose lengths that is measured */
export function controlsAlong(chain: Float64Array, count: number, rest = chain): Float64Array {
  const shares = sharesAlong(rest);
  const out = new Float64Array(count * 3);
  for (let i = 0, j = 0; i < count; i++) {
    const s = i / (count - 1);
    while (j + 2 < shares.length && shares[j + 1] < s) j++;
    const t = Math.min(1, (s - shares[j]) / (shares[j + 1] - shares[j] || 1));
    for (let k = 0; k < 3; k++) out[i * 3 + k] = (1 - t) * chain[j * 3 + k] + t * chain[j * 3 + 3 + k];
  }
  return out;
}

function angleAbout({ tangents, normals }: RibbonCurve, f: number, vector: Float64Array): number {
  const [t, n] = [tangents, normals].map((of) => of.subarray(f * 3, f * 3 + 3));
  const b = cross(t, n);
  const [x, y] = [n, b].map((of) => vector[0] * of[0] + vector[1] * of[1] + vector[2] * of[2]);
  return Math.atan2(y, x);
}

const wrap = (angle: number): number => angle - 2 * Math.PI * Math.round(angle / (2 * Math.PI));

const cross = (a: ArrayLike<number>, b: ArrayLike<number>): number[] => [
  a[1] * b[2] - a[2] * b[1],
  a[2] * b[0] - a[0] * b[2],
  a[0] * b[1] - a[1] * b[0],
];
