import { countBytes } from '../memory/countBytes.ts';
import type { KernelMemory } from '../memory/kernelMemory.ts';
import { createKernelMemory } from '../memory/wasmMemory.ts';
import { findNeighbours } from '../mesh/topology.ts';
import { buildPalette, poseWorld, type Pose } from '../skeleton/pose.ts';
import type { Skeleton } from '../skeleton/skeleton.ts';
import type { WeightRows } from '../weights/rows.ts';
import { type Deformer, deformerOf, type Skinning } from './deformer.ts';
import { drivenDeformer, layFollowScratch } from './follow/drivenDeformer.ts';
import { driversOf, followingParts, type Followings } from './follow/partFollowing.ts';
import type { FollowingPlaces } from './follow/Follower.ts';
import type { LaidRibbon } from './ribbon/Ribbon.ts';
import { ribbonDeformer } from './ribbon/ribbonDeformer.ts';
import { RibbonPoser } from './ribbon/RibbonPoser.ts';
import { morphedDeformer, PartMorphs, type PosedMorph } from './morph/morphedDeformer.ts';
import { layRelaxScratch, relaxedDeformer } from './relaxedDeformer.ts';
import { laySkin, type SkinArrays } from './skin.ts';
import { createDualPalette, type DualPalette } from './skinDual.ts';
import { type Relaxing, SurfaceRelaxer } from './SurfaceRelaxer.ts';

/** A part as it is posed. */
export interface PosablePart {
  readonly positions: Float32Array;
  readonly normals: Float32Array;
  /** 16·(jointCount + 1): the inverse bind matrices, then the part's own place. */
  readonly inverseBinds: Float32Array;
  readonly pointCount: number;
  readonly triangles: Uint32Array;
  readonly polygonOffsets: Uint32Array;
  readonly polygonPoints: Uint32Array;
}

/** How a surface follows its joints: skinned one way or the other, and relaxed or not. */
export interface Look {
  readonly skinning: Skinning;
  readonly relaxing?: Relaxing;
}

/** A look of all parts. */
export interface CharacterLook extends Look {
  /** By part: how much of relaxing each point takes, 0..1; all of it where it is missing. */
  readonly amounts?: readonly (Float32Array | undefined)[];
  readonly following?: Followings;
  /** By part: the shapes that go on by a joint's turn. */
  readonly morphs?: readonly (readonly PosedMorph[] | undefined)[];
  /** By part: the ribbons that hold it. */
  readonly ribbons?: readonly (readonly LaidRibbon[] | undefined)[];
}

/** What is posed: parts and their weights on a skeleton. */
export interface PosableCharacter {
  readonly parts: readonly PosablePart[];
  readonly skeleton: Skeleton;
  readonly rows: readonly WeightRows[];
}

/** A part in the memory of its look. */
interface LaidPart {
  readonly part: PosablePart;
  readonly skin: SkinArrays;
  readonly bound: FollowingPlaces;
}

/** One part in any pose, by a look. */
export class PartLook {
  readonly #skeleton: Skeleton;
  readonly #laid: LaidPart;
  readonly #dual: DualPalette;
  readonly #deformer: Deformer;
  readonly #world: Float32Array;

  /** @param part its number; the parts that it follows are looked at too */
  static async create(character: PosableCharacter, part: number, look: CharacterLook): Promise<PartLook> {
    const { parts, rows, skeleton } = character;
    const chain = driversOf(look.following, part);
    const jointCount = skeleton.joints.length;
    const lay = (memory: KernelMemory) => ({
      skins: chain.map((i) => laySkin(memory, parts[i].pointCount, rows[i].stride, jointCount)),
      dual: createDualPalette(jointCount, memory),
      relaxing: look.relaxing && layRelaxScratch(memory),
      following: chain.length > 1 ? layFollowScratch(memory, jointCount) : undefined,
    });
    const memory = await createKernelMemory(countBytes(lay));
    const room = lay(memory);
    const skinned = deformerOf(look.skinning, memory);
    const laid = new Map(
      chain.map((i, k) => [i, layPart(parts[i], rows[i], room.skins[k], skinned, room.dual)] as const),
    );
    let deformer = ribbonDeformer(
      morphedDeformer(skinned, morphsOf(laid, look)),
      new Map(
        [...laid].map(([i, { skin }]) => [
          skin.rest,
          (look.ribbons?.[i] ?? []).map((ribbon) => new RibbonPoser(ribbon)),
        ]),
      ),
    );
    if (room.relaxing) deformer = relaxedDeformer(deformer, await relaxersOf(laid, look), room.relaxing);
    if (room.following) {
      const following = await followingParts(look.following ?? [], (i) => {
        const own = laid.get(i);
        return own && { ...own, inverseBinds: own.part.inverseBinds, triangles: own.part.triangles };
      });
      deformer = drivenDeformer(deformer, following, room.following);
    }
    return new PartLook(skeleton, laid.get(part) as LaidPart, room.dual, deformer);
  }

  private constructor(skeleton: Skeleton, laid: LaidPart, dual: DualPalette, deformer: Deformer) {
    this.#skeleton = skeleton;
    this.#laid = laid;
    this.#dual = dual;
    this.#deformer = deformer;
    this.#world = new Float32Array(skeleton.joints.length * 16);
  }

  /** Where its points are in a pose, and how they face. Float32Array, 3 a point, scene space, until the next call. */
  at(pose: Pose): Pick<SkinArrays, 'positions' | 'normals'> {
    const { part, skin } = this.#laid;
    poseWorld(this.#skeleton, pose, this.#world);
    buildPalette(this.#world, part.inverseBinds, skin.palette);
    this.#deformer.prepare(skin.palette, this.#dual);
    this.#deformer.skinRange(skin, this.#dual, 0, part.pointCount);
    return skin;
  }
}

/** Fills a part's arrays, and finds it as the joints bind it: every joint does what the part's own place does. */
function layPart(
  part: PosablePart,
  rows: WeightRows,
  skin: SkinArrays,
  skinned: Deformer,
  dual: DualPalette,
): LaidPart {
  const { positions, normals, inverseBinds, pointCount } = part;
  skin.rest.set(positions);
  skin.restNormals.set(normals);
  skin.rows.joints.set(rows.joints);
  skin.rows.values.set(rows.values);
  const place = inverseBinds.subarray(inverseBinds.length - 16);
  for (let at = 0; at < skin.palette.length; at += 16) skin.palette.set(place, at);
  skinned.prepare(skin.palette, dual);
  skinned.skinRange(skin, dual, 0, pointCount);
  return { part, skin, bound: { positions: skin.positions.slice(), normals: skin.normals.slice() } };
}

function morphsOf(
  laid: ReadonlyMap<number, LaidPart>,
  { morphs }: CharacterLook,
): Map<Float32Array, PartMorphs> {
  const found = new Map<Float32Array, PartMorphs>();
  for (const [i, { part, skin }] of laid) {
    const own = morphs?.[i];
    if (!own) continue;
    const laying = new PartMorphs(part, () => part.inverseBinds);
    laying.setMorphs(own);
    found.set(skin.rest, laying);
  }
  return found;
}

async function relaxersOf(
  laid: ReadonlyMap<number, LaidPart>,
  { relaxing, amounts }: CharacterLook,
): Promise<Map<Float32Array, SurfaceRelaxer>> {
  const found = new Map<Float32Array, SurfaceRelaxer>();
  for (const [i, { part, skin, bound }] of laid) {
    const { polygonOffsets: offsets, polygonPoints: points, pointCount, triangles } = part;
    const relaxer = await SurfaceRelaxer.create(
      {
        ...{ pointCount, triangles, rest: bound.positions, restNormals: bound.normals },
        neighbours: findNeighbours({ offsets, points }, pointCount),
      },
      relaxing as Relaxing,
    );
    relaxer.setAmounts(amounts?.[i]);
    found.set(skin.rest, relaxer);
  }
  return found;
}
