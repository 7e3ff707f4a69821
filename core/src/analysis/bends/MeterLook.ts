import { type Deformer, deformerOf, type Skinning } from '../../deform/deformer.ts';
import {
  drivenDeformer,
  type FollowingPart,
  type FollowScratch,
  layFollowScratch,
} from '../../deform/follow/drivenDeformer.ts';
import { eachShare } from '../../deform/follow/hold.ts';
import { followingParts } from '../../deform/follow/partFollowing.ts';
import { morphedDeformer, PartMorphs } from '../../deform/morph/morphedDeformer.ts';
import { ribbonDeformer } from '../../deform/ribbon/ribbonDeformer.ts';
import { RibbonPoser } from '../../deform/ribbon/RibbonPoser.ts';
import type { CharacterLook } from '../../deform/PartLook.ts';
import { layRelaxScratch, relaxedDeformer, type RelaxScratch } from '../../deform/relaxedDeformer.ts';
import { SurfaceRelaxer } from '../../deform/SurfaceRelaxer.ts';
import type { KernelMemory } from '../../memory/kernelMemory.ts';
import { sharesOf } from './bendRegion.ts';
import type { MeterPart } from './meterParts.ts';

/** Room for what deforms measured parts, in the kernels' memory. */
export const layMeterLook = (memory: KernelMemory, look: CharacterLook, jointCount: number) => ({
  relaxing: look.relaxing && layRelaxScratch(memory),
  following: look.following?.some(Boolean) ? layFollowScratch(memory, jointCount) : undefined,
});

/** How measured parts are deformed by a look: skinned, relaxed, following others. */
export class MeterLook {
  readonly #look: CharacterLook;
  readonly #memory: KernelMemory;
  readonly #parts: readonly MeterPart[];
  readonly #relaxScratch: RelaxScratch | undefined;
  readonly #followScratch: FollowScratch | undefined;
  readonly #relaxers = new Map<Float32Array, SurfaceRelaxer>();
  readonly #morphs: ReadonlyMap<Float32Array, PartMorphs>;
  #following: ReadonlyMap<Float32Array, FollowingPart> = new Map();

  static async create(
    memory: KernelMemory,
    parts: readonly MeterPart[],
    look: CharacterLook,
    jointCount: number,
  ): Promise<MeterLook> {
    const own = new MeterLook(memory, parts, look, jointCount);
    if (look.relaxing) await own.#relax();
    if (look.following) await own.#follow();
    return own;
  }

  private constructor(
    memory: KernelMemory,
    parts: readonly MeterPart[],
    look: CharacterLook,
    jointCount: number,
  ) {
    const { relaxing, following } = layMeterLook(memory, look, jointCount);
    this.#look = look;
    this.#memory = memory;
    this.#parts = parts;
    this.#relaxScratch = relaxing;
    this.#followScratch = following;
    this.#morphs = morphsOf(parts, look);
  }

  /** What drawings are filled with is never relaxed. */
  async #relax(): Promise<void> {
    const { relaxing, amounts } = this.#look;
    if (!relaxing) return;
    for (const { index, mesh, skin, fill } of this.#parts) {
      if (fill) continue;
      const { restPositions: rest, ...held } = mesh;
      const relaxer = await SurfaceRelaxer.create({ ...held, rest }, relaxing);
      relaxer.setAmounts(amounts?.[index]);
      this.#relaxers.set(skin.rest, relaxer);
    }
  }

  async #follow(): Promise<void> {
    this.#following = await followingParts(this.#look.following ?? [], (index) => {
      const part = this.#partOf(index);
      if (!part) return undefined;
      const { restPositions: positions, restNormals: normals } = part.mesh;
      return { ...part, bound: { positions, normals }, triangles: part.mesh.triangles };
    });
  }

  #partOf(index: number): MeterPart | undefined {
    return this.#parts.find((part) => part.index === index);
  }

  deformerOf(skinning: Skinning): Deformer {
    let deformer = deformerOf(skinning, this.#memory);
    if (this.#morphs.size > 0) deformer = morphedDeformer(deformer, this.#morphs);
    if (this.#look.ribbons?.some((own) => own && own.length > 0))
      deformer = ribbonDeformer(deformer, ribbonsOf(this.#parts, this.#look));
    if (this.#relaxScratch) deformer = relaxedDeformer(deformer, this.#relaxers, this.#relaxScratch);
    if (this.#followScratch && this.#following.size > 0)
      deformer = drivenDeformer(deformer, this.#following, this.#followScratch);
    return deformer;
  }

  /**
   * How much of each point of a part moves along, as {@link sharesOf} has it: of one that follows, as much as of what it holds
   * on to.
   */
  sharesOf({ index, skin }: MeterPart, moves: Uint8Array): Float32Array | undefined {
    const own = sharesOf(skin.rows, moves);
    const following = this.#following.has(skin.rest) ? this.#look.following?.[index] : undefined;
    const driver = following && this.#partOf(following.driver);
    if (!following || !driver) return own;
    const above = this.sharesOf(driver, moves);
    const shares = new Float32Array(skin.rows.pointCount);
    for (let p = 0; p < shares.length; p++) {
      const amount = following.amounts?.[p] ?? 1;
      let share = 0;
      if (above)
        eachShare(following.hold, p, (point, by) => {
          share += by * (above[point] || 0);
        });
      shares[p] = amount * share + (amount < 1 ? (1 - amount) * (own?.[p] ?? 0) : 0);
    }
    return above || own ? shares : undefined;
  }
}

const ribbonsOf = (
  parts: readonly MeterPart[],
  { ribbons }: CharacterLook,
): ReadonlyMap<Float32Array, readonly RibbonPoser[]> =>
  new Map(
    parts.map(({ index, skin }) => [
      skin.rest,
      (ribbons?.[index] ?? []).map((ribbon) => new RibbonPoser(ribbon)),
    ]),
  );

/** What drawings are filled with has no shapes. */
function morphsOf(parts: readonly MeterPart[], { morphs }: CharacterLook): Map<Float32Array, PartMorphs> {
  const found = new Map<Float32Array, PartMorphs>();
  for (const { index, skin, inverseBinds, mesh, fill } of parts) {
    const own = morphs?.[index];
    if (!own || fill) continue;
    const { triangles, pointCount } = mesh;
    const [positions, normals] = [skin.rest.slice(), skin.restNormals.slice()];
    const laying = new PartMorphs({ positions, normals, triangles, pointCount }, () => inverseBinds);
    laying.setMorphs(own);
    found.set(skin.rest, laying);
  }
  return found;
}
