import { PointMovement } from '../../deform/PointMovement.ts';
import type { PosedPalettes } from '../../deform/PosedPalettes.ts';
import { rowsEqual } from '../../weights/delta.ts';
import type { WeightRows } from '../../weights/rows.ts';

export interface CostPart {
  readonly positions: Float32Array;
  readonly inverseBinds: Float32Array;
  readonly pointCount: number;
}

/** What other weights cost: how far the surface moves away from where it was, in scene units, with linear skinning. */
export interface Cost {
  readonly greatest: number;
  /** Root of the mean square, over the points that were changed and all poses. */
  readonly rms: number;
  /** Where the greatest is, and in which of the poses; undefined where nothing moves. */
  readonly worst?: { readonly part: number; readonly point: number; readonly pose: number };
  /** Points with other weights than before. */
  readonly changed: number;
  /** By part: the greatest of each point. */
  readonly byPoint: readonly Float32Array[];
}

const CHUNK = 2000;

/**
 * Measures what other weights cost in some poses.
 * @param before by part; a point that had no weight is held against where it stays unposed
 * @param watch  told how far it is, 0 to 1; may throw to end it
 */
export function measureCost(
  parts: readonly CostPart[],
  before: readonly WeightRows[],
  after: readonly WeightRows[],
  posed: PosedPalettes,
  watch: (share: number) => void = () => undefined,
): Cost {
  const squares = new Float64Array(posed.count);
  const total = parts.reduce((sum, { pointCount }) => sum + pointCount, 0) || 1;
  let [greatest, sum, changed, done]: [number, number, number, number] = [0, 0, 0, 0];
  let worst: Cost['worst'];
  const byPoint = parts.map(({ positions, inverseBinds, pointCount }, part) => {
    const costs = new Float32Array(pointCount);
    let movement: PointMovement | undefined;
    for (let point = 0; point < pointCount; point++) {
      if (done++ % CHUNK === 0) watch(done / total);
      if (rowsEqual(before[part], point, after[part], point)) continue;
      changed++;
      const { joints, was, is } = bothRows(before[part], after[part], point);
      if (joints.length === 0 || !was.some((weight) => weight > 0)) continue;
      movement ??= new PointMovement(posed, positions, inverseBinds);
      movement.look(point, joints, was, joints.length);
      const most = movement.squares(is, squares);
      const poses = movement.poseCount;
      for (let k = 0; k < poses; k++) sum += squares[k];
      costs[point] = Math.sqrt(most);
      if (costs[point] <= greatest) continue;
      greatest = costs[point];
      const k = squares.subarray(0, poses).indexOf(most);
      worst = { part, point, pose: movement.poseAt(k) };
    }
    return costs;
  });
  watch(1);
  const rms = changed === 0 ? 0 : Math.sqrt(sum / (changed * posed.count));
  return { greatest, rms, ...(worst && { worst }), changed, byPoint };
}

/** The joints of two rows of a point, and what each row has of them; the second sums to what is there. */
function bothRows(
  a: WeightRows,
  b: WeightRows,
  point: number,
): { joints: number[]; was: number[]; is: number[] } {
  const joints: number[] = [];
  const was: number[] = [];
  const is: number[] = [];
  const take = (rows: WeightRows, into: number[]): void => {
    for (let k = point * rows.stride; k < (point + 1) * rows.stride && rows.values[k] !== 0; k++) {
      let at = joints.indexOf(rows.joints[k]);
      if (at < 0) {
        at = joints.push(rows.joints[k]) - 1;
        was.push(0);
        is.push(0);
      }
      into[at] = rows.values[k];
    }
  };
  take(a, was);
  take(b, is);
  return { joints, was, is };
}
