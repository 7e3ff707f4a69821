import { skinList, type SkinArrays } from '../../deform/skin.ts';
import type { CharacterPart } from '../../document/character.ts';
import { buildPalette, poseWorld } from '../../skeleton/pose.ts';
import { ancestors } from '../../skeleton/roles.ts';
import type { Skeleton } from '../../skeleton/skeleton.ts';
import { copyRow, type Change } from '../../weights/delta.ts';
import type { WeightRows } from '../../weights/rows.ts';
import type { Stray } from '../../document/stray.ts';
import { rangePoses, type Angles, type MotionRange } from '../../animation/motionRange.ts';

const STILL: StrayMovement = { movement: 0, bend: undefined };

export interface MovementSubject {
  readonly parts: readonly Pick<CharacterPart, 'positions' | 'inverseBinds'>[];
  readonly skeleton: Skeleton;
  readonly rows: readonly WeightRows[];
}

/** How far a stray moves the surface away from where it belongs, at most, in scene units, and the bend that does. */
export interface StrayMovement {
  readonly movement: number;
  readonly bend: { readonly joint: number; readonly angles: Angles } | undefined;
}

/**
 * How far each stray moves the surface, over the range of the joints between its own and those that rule there.
 *
 * @param removal what removing the strays changes, as removeStrays gives it
 */
export function strayMovements(
  { parts, skeleton, rows }: MovementSubject,
  strays: readonly Stray[],
  removal: Change,
  ranges: readonly MotionRange[],
): StrayMovement[] {
  const poses = new PoseCache(skeleton, ranges);
  return strays.map(({ part, joint, points }) => {
    const delta = removal.find((one) => one.part === part);
    if (!delta) return STILL;
    const at = new Map(Array.from(delta.points, (p, i) => [p, i]));
    const own = Array.from(points).filter((p) => at.has(p));
    if (own.length === 0) return STILL;
    const { stride } = rows[part];
    const before = pointsOf(parts[part].positions, own, stride, (i, to) =>
      copyRow(rows[part], own[i], to, i),
    );
    const after = pointsOf(parts[part].positions, own, stride, (i, to) =>
      copyRow(delta.after, at.get(own[i]) as number, to, i),
    );
    const list = { points: Uint32Array.from(own.keys()), count: own.length };
    let [most, bend]: [number, StrayMovement['bend']] = [0, undefined];
    for (const { world, ...posed } of poses.between(skeleton, joint, rulerOf(after.rows))) {
      buildPalette(world, parts[part].inverseBinds, before.palette);
      after.palette.set(before.palette);
      skinList(before, list);
      skinList(after, list);
      for (let i = 0; i < before.positions.length; i += 3) {
        const far = Math.hypot(
          before.positions[i] - after.positions[i],
          before.positions[i + 1] - after.positions[i + 1],
          before.positions[i + 2] - after.positions[i + 2],
        );
        if (far > most) [most, bend] = [far, posed];
      }
    }
    return { movement: most, bend };
  });

  function pointsOf(
    positions: Float32Array,
    own: readonly number[],
    stride: number,
    put: (i: number, to: WeightRows) => void,
  ): SkinArrays {
    const count = own.length;
    const arrays: SkinArrays = {
      rest: Float32Array.from(own.flatMap((p) => [...positions.subarray(p * 3, p * 3 + 3)])),
      restNormals: new Float32Array(count * 3),
      rows: {
        pointCount: count,
        stride,
        joints: new Uint16Array(count * stride),
        values: new Float32Array(count * stride),
      },
      palette: new Float32Array((skeleton.joints.length + 1) * 16),
      positions: new Float32Array(count * 3),
      normals: new Float32Array(count * 3),
    };
    own.forEach((_, i) => put(i, arrays.rows));
    return arrays;
  }
}

/** The joint with most weight over all rows; -1 where there is none. */
function rulerOf({ joints, values }: WeightRows): number {
  const sums = new Map<number, number>();
  for (let k = 0; k < values.length; k++)
    if (values[k] > 0) sums.set(joints[k], (sums.get(joints[k]) ?? 0) + values[k]);
  let best = -1;
  for (const [joint, sum] of sums) if (best < 0 || sum > (sums.get(best) ?? 0)) best = joint;
  return best;
}

interface PosedWorld {
  readonly joint: number;
  readonly angles: Angles;
  readonly world: Float32Array;
}

/** World matrices of the poses of ranges, made when they are first wanted. */
class PoseCache {
  readonly #skeleton: Skeleton;
  readonly #ranges: ReadonlyMap<number, MotionRange>;
  readonly #worlds = new Map<number, PosedWorld[]>();

  constructor(skeleton: Skeleton, ranges: readonly MotionRange[]) {
    this.#skeleton = skeleton;
    this.#ranges = new Map(ranges.map((range) => [range.joint, range]));
  }

  /** Poses of all joints on the way between two, which move one and not the other. */
  between(skeleton: Skeleton, a: number, b: number): PosedWorld[] {
    const [one, other] = [a, b].map((joint) => (joint < 0 ? [] : [joint, ...ancestors(skeleton, joint)]));
    const joints = [
      ...one.filter((joint) => !other.includes(joint)),
      ...other.filter((joint) => !one.includes(joint)),
    ];
    return joints.flatMap((joint) => this.#of(joint));
  }

  #of(joint: number): PosedWorld[] {
    const known = this.#worlds.get(joint);
    if (known) return known;
    const range = this.#ranges.get(joint);
    const worlds = (range ? rangePoses(range) : []).map(({ angles, pose }) => {
      const world = new Float32Array(this.#skeleton.joints.length * 16);
      poseWorld(this.#skeleton, pose, world);
      return { joint, angles, world };
    });
    this.#worlds.set(joint, worlds);
    return worlds;
  }
}
