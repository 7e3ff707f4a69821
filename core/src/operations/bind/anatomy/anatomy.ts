import { findFollowers } from './followers.ts';
import { rayInside, shareEnds, SPOKES, spokesAround } from './thickness.ts';
import { distance, lerp, type Vec3 } from '../../../math/vector.ts';
import { childrenOf, type Skeleton } from '../../../skeleton/skeleton.ts';
import { distanceToSegment, FACTOR_STEPS, type Bones } from '../../../skeleton/bones.ts';
import type { BindSpace } from '../../../document/space/bindSpace.ts';
import { cellAt, isInside, type Solid } from '../../../spatial/solid.ts';

/** A joint at the skin that moves only what lies about it: a lip, a brow. */
export interface Control {
  readonly joint: number;
  /** How far along the surface it reaches, in lengths of bind space. */
  readonly radius: number;
}

/** How a skeleton lies in its body. */
export interface Anatomy {
  readonly bones: Bones;
  readonly controls: readonly Control[];
  /** Island → the joint that it follows whole (an eyeball). */
  readonly followers: ReadonlyMap<number, number>;
}

/** The thickness of a limb counts with this power; see Bones.factors. Found on painted models, docs/BINDING.md. */
const THICKNESS_POWER = 0.3;
/** A leaf's bone is at most this many lengths of its parent's. */
const LONGEST_LEAF = 4;
/** Where the solid does not tell how far a leaf goes, its bone is this share of its parent's. */
const LEAF_SHARE = 0.5;
/** A child within this angle of the way that the parent's bone points goes on where the parent's ends. */
const GOES_ON_COSINE = Math.cos(Math.PI / 3);
/** A control has at least this many other joints within this share of its parent's length. */
const CROWD = 3;
const CROWD_SHARE = 0.3;
/** Bones to controls end before the skin, by this share. */
const CONTROL_BONE_SHARE = 0.7;

/**
 * Reads bones and controls off a skeleton.
 *
 * - One bone from every joint to each of its children.
 * - A joint where no child goes on (a leaf, or a head whose children are eyes and jaws) gets one that goes on to the
 *   skin, as long as no other bone lies in the same limb.
 * - A joint that does not deform gives its bones to the nearest joint above it that does; without any they are left out.
 * - Leaves set close together under the skin are controls: they keep to their neighbourhood.
 * - A ball-shaped island about a leaf follows it whole.
 *
 * @param places  Float32Array, 3·jointCount, bind space
 * @param deforms whether a joint may have weight
 */
export function readAnatomy(
  skeleton: Skeleton,
  places: Float32Array,
  deforms: (joint: number) => boolean,
  space: BindSpace,
  solid: Solid,
): Anatomy {
  const reader = new AnatomyReader(skeleton, places, deforms, solid);
  const followers = findFollowers(skeleton, places, deforms, space);
  for (const joint of followers.values()) reader.aside.add(joint);
  const controls = reader.findControls();
  for (const { joint } of controls) reader.aside.add(joint);
  return { bones: reader.listBones(), controls, followers };
}

class AnatomyReader {
  /** Joints that get no bones: controls, and those that an island follows. */
  readonly aside = new Set<number>();
  readonly #joints: Skeleton['joints'];
  readonly #places: Vec3[];
  readonly #children: number[][];
  readonly #deforms: (joint: number) => boolean;
  readonly #solid: Solid;
  readonly #same: number;

  constructor(skeleton: Skeleton, places: Float32Array, deforms: (joint: number) => boolean, solid: Solid) {
    this.#joints = skeleton.joints;
    this.#places = skeleton.joints.map((_, j) => [places[j * 3], places[j * 3 + 1], places[j * 3 + 2]]);
    this.#children = childrenOf(skeleton);
    this.#deforms = deforms;
    this.#solid = solid;
    this.#same = solid.size * 0.25;
  }

  findControls(): Control[] {
    const controls: Control[] = [];
    this.#joints.forEach((_, joint) => {
      if (this.#children[joint].length > 0 || !this.#deforms(joint) || this.aside.has(joint)) return;
      const above = this.#above(joint);
      if (above < 0) return;
      const length = distance(this.#places[joint], this.#places[above]);
      const others = this.#joints
        .map((__, other) =>
          other === joint || !this.#deforms(other)
            ? Infinity
            : distance(this.#places[other], this.#places[joint]),
        )
        .sort((a, b) => a - b);
      if (!((others[CROWD - 1] ?? Infinity) < CROWD_SHARE * length)) return;
      const cell = cellAt(this.#solid, ...this.#places[joint]);
      if (cell < 0 || this.#solid.depth[cell] > 0.12 * length) return;
      if (this.#exit(joint, this.#direction(above, joint), 0.4 * length) > 0.3 * length) return;
      controls.push({
        joint,
        radius: Math.min(0.4 * length, Math.max(0.08 * length, 0.8 * others[CROWD - 1])),
      });
    });
    return controls;
  }

  listBones(): Bones {
    const owners: number[] = [];
    const froms: Vec3[] = [];
    const tos: Vec3[] = [];
    const put = (owner: number, from: Vec3, to: Vec3): void => {
      owners.push(owner);
      froms.push(from);
      tos.push(to);
    };
    const open: number[] = [];
    const free = new Set<number>();
    this.#joints.forEach((_, joint) => {
      const owner = this.#ownerOf(joint);
      if (owner < 0 || this.aside.has(joint)) return;
      const from = this.#places[joint];
      const limbs = this.#children[joint].filter((child) => !this.aside.has(child));
      const held = this.#children[joint].filter((child) => this.aside.has(child));
      for (const child of limbs) if (!this.#together(joint, child)) put(owner, from, this.#places[child]);
      if (limbs.length === 0 && held.length === 1) {
        free.add(owners.length);
        put(owner, from, this.#places[held[0]]);
      } else {
        for (const child of held) {
          free.add(owners.length);
          put(owner, from, lerp(from, this.#places[child], CONTROL_BONE_SHARE));
        }
        if (this.#ends(joint, limbs)) open.push(joint);
      }
    });
    const fixed = owners.length;
    for (const joint of open) {
      const owner = this.#ownerOf(joint);
      const to = this.#goOn(joint, owners.slice(0, fixed), froms, tos);
      if (!to) continue;
      free.add(owners.length);
      put(owner, this.#places[joint], to);
    }
    const ends = Float32Array.from(owners.flatMap((_, b) => [...froms[b], ...tos[b]]));
    return {
      count: owners.length,
      joints: Uint16Array.from(owners),
      ends,
      factors: this.#factors(ends, free),
    };
  }

  /** The deforming joint that a joint's bones give weight to. */
  #ownerOf(joint: number): number {
    for (let j = joint; j >= 0; j = this.#joints[j].parent) if (this.#deforms(j)) return j;
    return -1;
  }

  /** The nearest joint above that stands in another place. */
  #above(joint: number): number {
    let above = this.#joints[joint].parent;
    while (above >= 0 && this.#together(joint, above)) above = this.#joints[above].parent;
    return above;
  }

  #together(a: number, b: number): boolean {
    return distance(this.#places[a], this.#places[b]) < this.#same;
  }

  #direction(from: number, to: number): Vec3 {
    const length = distance(this.#places[from], this.#places[to]) || 1;
    return this.#places[to].map((x, k) => (x - this.#places[from][k]) / length) as unknown as Vec3;
  }

  /** Whether a limb ends here: nothing goes on where the bone above points. */
  #ends(joint: number, limbs: readonly number[]): boolean {
    const above = this.#above(joint);
    if (limbs.length === 0) return true;
    if (above < 0 || !this.#deforms(above)) return false;
    const direction = this.#direction(above, joint);
    const back = Math.min(0.2 * distance(this.#places[above], this.#places[joint]), 4 * this.#solid.size);
    const before = this.#places[joint].map((x, k) => x - direction[k] * back) as unknown as Vec3;
    if (!isInside(this.#solid, ...before)) return false;
    const leaves = this.#children[joint].filter((child) => this.#children[child].length === 0);
    // Joints in one place share what goes on from there.
    const onward = this.#joints.flatMap((_, other) =>
      other !== joint && this.#together(joint, other) ? this.#children[other] : [],
    );
    return ![...limbs, ...onward].some((child) => {
      if (this.#together(joint, child)) return true;
      if (leaves.length >= 2 && leaves.includes(child)) return false;
      const on = this.#direction(joint, child);
      return on[0] * direction[0] + on[1] * direction[1] + on[2] * direction[2] > GOES_ON_COSINE;
    });
  }

  /** Where the bone of a joint at which a limb ends goes on to. */
  #goOn(
    joint: number,
    owners: readonly number[],
    froms: readonly Vec3[],
    tos: readonly Vec3[],
  ): Vec3 | undefined {
    const from = this.#places[joint];
    const above = this.#above(joint);
    const leaf = this.#children[joint].length === 0;
    if (above < 0) return leaf ? from : undefined;
    const length = distance(from, this.#places[above]);
    const direction = this.#direction(above, joint);
    const furthest = Math.max(
      0,
      ...this.#children[joint].map((child) => distance(from, this.#places[child])),
    );
    const most = leaf ? LONGEST_LEAF * length : Math.max(length, 1.5 * furthest);
    const own = new Set([this.#ownerOf(joint), this.#ownerOf(above)]);
    const others = owners.flatMap((owner, b) => (own.has(owner) ? [] : [b]));
    const blocked = (place: Vec3, depth: number): boolean =>
      others.some((b) => {
        const far = distanceToSegment(place, froms[b], tos[b]);
        return far < 2 * depth && far < 0.7 * distanceToSegment(from, froms[b], tos[b]);
      });
    const reach = this.#exit(joint, direction, most, blocked);
    if (reach === 0 && !leaf) return undefined;
    const on = reach > 0 ? 0.9 * reach : LEAF_SHARE * length;
    return from.map((x, k) => x + direction[k] * on) as unknown as Vec3;
  }

  /** How far it is from a joint to the skin, at most `most`; `blocked` ends the way sooner. */
  #exit(
    joint: number,
    direction: Vec3,
    most: number,
    blocked?: (place: Vec3, depth: number) => boolean,
  ): number {
    const from = this.#places[joint];
    const step = this.#solid.size / 2;
    let t = 0;
    for (; t < most; t += step) {
      const place = from.map((x, k) => x + direction[k] * (t + step)) as unknown as Vec3;
      if (!isInside(this.#solid, ...place)) break;
      if (blocked?.(place, this.#solid.depth[cellAt(this.#solid, ...place)])) break;
    }
    return t;
  }

  /** Thickness along each bone, across it: near a cap the skin ahead does not make a limb thin. */
  #factors(ends: Float32Array, free: ReadonlySet<number>): Float32Array {
    const { size } = this.#solid;
    const boneCount = ends.length / 6;
    const radii = new Float32Array(boneCount * FACTOR_STEPS);
    for (let b = 0; b < boneCount; b++) {
      const from = [...ends.subarray(b * 6, b * 6 + 3)] as unknown as Vec3;
      const to = [...ends.subarray(b * 6 + 3, b * 6 + 6)] as unknown as Vec3;
      const spokes = spokesAround(from, to);
      for (let s = 0; s < FACTOR_STEPS; s++) {
        const radius = Math.max(size / 2, this.#radiusAt(lerp(from, to, s / (FACTOR_STEPS - 1)), spokes));
        const at = b * FACTOR_STEPS + s;
        // Toward a free end a limb rounds off without becoming another limb.
        radii[at] = s > 0 && free.has(b) ? Math.max(radius, radii[at - 1]) : radius;
      }
    }
    shareEnds(ends, radii, this.#same);
    const widest = radii.reduce((most, radius) => Math.max(most, radius), size);
    return radii.map((radius) => Math.pow(widest / radius, THICKNESS_POWER));
  }

  #radiusAt(place: Vec3, spokes: readonly Vec3[]): number {
    const solid = this.#solid;
    if (!isInside(solid, place[0], place[1], place[2])) return 0;
    const step = solid.size / 2;
    const reaches = spokes.map((spoke) => rayInside(solid, place, spoke, step));
    reaches.sort((a, b) => a - b);
    return reaches[SPOKES / 4];
  }
}
