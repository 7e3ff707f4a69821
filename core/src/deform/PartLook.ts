import { countBytes } from '../memory/countBytes.ts';
import type { KernelMemory } from '../memory/kernelMemory.ts';
import { createKernelMemory } from '../memory/wasmMemory.ts';
import { findNeighbours } from '../mesh/topology.ts';
import { buildPalette, poseWorld, type Pose } from '../skeleton/pose.ts';
import type { Skeleton } from '../skeleton/skeleton.ts';
import type { WeightRows } from '../weights/rows.ts';
import { type Deformer, deformerOf, type Skinning } from './deformer.ts';
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
}

/** One part in any pose, by a look. */
export class PartLook {
  readonly #skeleton: Skeleton;
  readonly #part: PosablePart;
  readonly #skin: SkinArrays;
  readonly #dual: DualPalette;
  readonly #deformer: Deformer;
  readonly #world: Float32Array;
  #relaxer: SurfaceRelaxer | undefined;

  /** @param amounts how much of relaxing each point takes, 0..1; all of it where they are missing */
  static async create(
    part: PosablePart,
    rows: WeightRows,
    skeleton: Skeleton,
    look: Look,
    amounts?: Float32Array,
  ): Promise<PartLook> {
    const lay = (memory: KernelMemory): unknown => [
      laySkin(memory, part.pointCount, rows.stride, skeleton.joints.length),
      createDualPalette(skeleton.joints.length, memory),
    ];
    const own = new PartLook(part, rows, skeleton, look, await createKernelMemory(countBytes(lay)));
    if (look.relaxing) await own.#relax(look.relaxing, amounts);
    return own;
  }

  private constructor(
    part: PosablePart,
    rows: WeightRows,
    skeleton: Skeleton,
    { skinning }: Look,
    memory: KernelMemory,
  ) {
    const { positions, normals, pointCount } = part;
    this.#part = part;
    this.#skeleton = skeleton;
    this.#skin = laySkin(memory, pointCount, rows.stride, skeleton.joints.length);
    this.#dual = createDualPalette(skeleton.joints.length, memory);
    this.#deformer = deformerOf(skinning, memory);
    this.#world = new Float32Array(skeleton.joints.length * 16);
    this.#skin.rest.set(positions);
    this.#skin.restNormals.set(normals);
    this.#skin.rows.joints.set(rows.joints);
    this.#skin.rows.values.set(rows.values);
  }

  async #relax(relaxing: Relaxing, amounts: Float32Array | undefined): Promise<void> {
    const { polygonOffsets: offsets, polygonPoints: points, pointCount, triangles } = this.#part;
    const { positions, normals } = this.#atRest();
    this.#relaxer = await SurfaceRelaxer.create(
      {
        ...{ pointCount, triangles, rest: positions.slice(), restNormals: normals.slice() },
        neighbours: findNeighbours({ offsets, points }, pointCount),
      },
      relaxing,
    );
    this.#relaxer.setAmounts(amounts);
  }

  /** As the joints bind it: every joint does what the part's own place does. */
  #atRest(): SkinArrays {
    const { inverseBinds } = this.#part;
    const place = inverseBinds.subarray(inverseBinds.length - 16);
    for (let at = 0; at < this.#skin.palette.length; at += 16) this.#skin.palette.set(place, at);
    this.#skinAll();
    return this.#skin;
  }

  #skinAll(): void {
    this.#deformer.prepare(this.#skin.palette, this.#dual);
    this.#deformer.skinRange(this.#skin, this.#dual, 0, this.#part.pointCount);
  }

  /** Where its points are in a pose, and how they face. Float32Array, 3 a point, scene space, until the next call. */
  at(pose: Pose): Pick<SkinArrays, 'positions' | 'normals'> {
    poseWorld(this.#skeleton, pose, this.#world);
    buildPalette(this.#world, this.#part.inverseBinds, this.#skin.palette);
    this.#skinAll();
    this.#relaxer?.relaxAll(this.#skin.positions, this.#skin.normals);
    return this.#skin;
  }
}
