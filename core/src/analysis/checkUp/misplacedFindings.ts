import { boundPositions } from '../../document/space/boundSpace.ts';
import type { CheckInput } from '../../document/checkInput.ts';
import { counted, type Finding } from '../../document/finding.ts';
import { findIslands, findNeighbours } from '../../mesh/topology.ts';
import { childrenOf, liveJoints } from '../../skeleton/skeleton.ts';
import { jointMass } from '../../weights/rows.ts';

/** A joint is far from a point at this share of the character's size, and so many times as far as the nearest. */
const FAR_SHARE = 0.12;
const FAR_TIMES = 3;
/** Joints this many steps apart in the skeleton belong to other limbs. */
const FAR_STEPS = 4;
/** So many points are no accident: at least, and of a part. */
const MIN_POINTS = 12;
const MIN_SHARE = 0.005;
const DOMINANT = 0.5;

/** Weight that binds a body wrongly on the whole: all of it to one joint, or a limb to a joint of another. */
export function findMisplaced(input: CheckInput): Finding[] {
  const alone = findOneJoint(input);
  // Where everything hangs on one joint, most of it is far from it.
  return alone.length > 0 ? alone : findFarTied(input);
}

function findOneJoint({ parts, skeleton, rows, nonDeforming, roots }: CheckInput): Finding[] {
  const live = liveJoints(skeleton).filter((joint) => !nonDeforming.has(joint) && !roots.has(joint));
  if (live.length < 3) return [];
  const masses = new Float64Array(skeleton.joints.length);
  parts.forEach(({ role }, part) => {
    if (role === 'skinned') jointMass(rows[part], masses.length, masses);
  });
  const held = [...masses.keys()].filter((joint) => masses[joint] > 0);
  if (held.length !== 1) return [];
  const [joint] = held;
  const message = `Every point follows “${skeleton.joints[joint].name}”: nothing bends. Bind the character anew.`;
  return [{ code: 'one-joint', severity: 'error', joint, joints: held, count: 1, message }];
}

function findFarTied(input: CheckInput): Finding[] {
  const bones = bonesOf(input);
  return input.parts.flatMap((part, index): Finding[] => {
    if (part.role !== 'skinned') return [];
    const found = farPoints(input, bones, index);
    if (found.size === 0) return [];
    const isStiff = stiffPoints(input, index);
    return [...found].flatMap(([joint, all]): Finding[] => {
      const points = all.filter((p) => !isStiff[p]);
      if (points.length < Math.max(MIN_POINTS, MIN_SHARE * part.pointCount)) return [];
      const many = counted(points.length, 'point follows', 'points follow');
      return [
        {
          code: 'tied-to-far-joint',
          severity: 'warning',
          part: index,
          joints: [joint],
          count: points.length,
          points: Uint32Array.from(points),
          message: `On “${part.name}”, ${many} “${input.skeleton.joints[joint].name}”, which is far from them; joints of their own are near.`,
          repair: 'They get what the surface around them has.',
        },
      ];
    });
  });
}

/** By joint: the ends of its bones, six numbers each; of joints that may deform. */
type Bones = ReadonlyMap<number, readonly number[]>;

function bonesOf({ skeleton, places, nonDeforming, roots }: CheckInput): Bones {
  const children = childrenOf(skeleton);
  const at = (joint: number): number[] => [...places.subarray(joint * 3, joint * 3 + 3)];
  return new Map(
    liveJoints(skeleton)
      .filter((joint) => !nonDeforming.has(joint) && !roots.has(joint))
      .map((joint) => {
        const { parent } = skeleton.joints[joint];
        const ends = [...children[joint], ...(parent >= 0 && !roots.has(parent) ? [parent] : [])];
        return [
          joint,
          ends.length === 0
            ? [...at(joint), ...at(joint)]
            : ends.flatMap((end) => [...at(joint), ...at(end)]),
        ];
      }),
  );
}

/** By joint, the points that follow it most and lie far from it, near joints of another limb. */
function farPoints(
  { parts, rows, box, skeleton }: CheckInput,
  bones: Bones,
  part: number,
): Map<number, number[]> {
  const { joints, values, stride, pointCount } = rows[part];
  const positions = boundPositions(parts[part]);
  const size = Math.hypot(...box.most.map((x, k) => x - box.least[k]));
  const found = new Map<number, number[]>();
  for (let p = 0; p < pointCount; p++) {
    const joint = joints[p * stride];
    const own = values[p * stride] >= DOMINANT ? bones.get(joint) : undefined;
    if (!own) continue;
    const place = positions.subarray(p * 3, p * 3 + 3);
    const far = distanceTo(own, place);
    if (far <= FAR_SHARE * size) continue;
    const nearest = nearestJoint(bones, place, far / FAR_TIMES);
    if (nearest < 0 || stepsBetween(skeleton.joints, joint, nearest) < FAR_STEPS) continue;
    const held = found.get(joint);
    if (held) held.push(p);
    else found.set(joint, [p]);
  }
  return found;
}

/** The joint with the bone nearest to a place, nearer than `within`; -1 for none. */
function nearestJoint(bones: Bones, place: ArrayLike<number>, within: number): number {
  let nearest = -1;
  let least = within;
  for (const [joint, own] of bones) {
    const distance = distanceTo(own, place);
    if (distance >= least) continue;
    least = distance;
    nearest = joint;
  }
  return nearest;
}

function distanceTo(bones: readonly number[], place: ArrayLike<number>): number {
  let least = Infinity;
  for (let b = 0; b < bones.length; b += 6) {
    let [along, length] = [0, 0];
    for (let k = 0; k < 3; k++) {
      const way = bones[b + 3 + k] - bones[b + k];
      along += (place[k] - bones[b + k]) * way;
      length += way * way;
    }
    const t = length > 0 ? Math.min(1, Math.max(0, along / length)) : 0;
    let squared = 0;
    for (let k = 0; k < 3; k++) {
      const off = place[k] - (bones[b + k] + t * (bones[b + 3 + k] - bones[b + k]));
      squared += off * off;
    }
    least = Math.min(least, squared);
  }
  return Math.sqrt(least);
}

function stepsBetween(joints: readonly { readonly parent: number }[], a: number, b: number): number {
  const up = new Map<number, number>();
  for (let joint = a, steps = 0; joint >= 0; joint = joints[joint].parent) up.set(joint, steps++);
  for (let joint = b, steps = 0; joint >= 0; joint = joints[joint].parent, steps++) {
    const met = up.get(joint);
    if (met !== undefined) return met + steps;
  }
  return Infinity;
}

/** Uint8Array, pointCount: 1 on islands that follow one joint whole: props reach far from what holds them. */
function stiffPoints({ parts, rows }: CheckInput, part: number): Uint8Array {
  const { polygonOffsets: offsets, polygonPoints: points, pointCount } = parts[part];
  const { ofPoint, count } = findIslands(findNeighbours({ offsets, points }, pointCount));
  const { joints, values, stride } = rows[part];
  const jointOf = new Int32Array(count).fill(-1);
  const isStiff = new Uint8Array(count).fill(1);
  for (let p = 0; p < pointCount; p++) {
    const island = ofPoint[p];
    if (jointOf[island] < 0) jointOf[island] = joints[p * stride];
    if (values[p * stride] < 1 || joints[p * stride] !== jointOf[island]) isStiff[island] = 0;
  }
  return Uint8Array.from({ length: pointCount }, (_, p) => isStiff[ofPoint[p]]);
}
