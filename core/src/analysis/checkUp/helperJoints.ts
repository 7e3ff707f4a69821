import type { CheckInput } from '../../document/checkInput.ts';
import { childrenOf, liveJoints, subtreeOf } from '../../skeleton/skeleton.ts';
import { jointMass } from '../../weights/rows.ts';

type Input = Pick<
  CheckInput,
  'parts' | 'skeleton' | 'rows' | 'places' | 'pairs' | 'box' | 'tolerance' | 'roots'
>;

/** So many joints with weight, and such a share, say which ones are meant to have some. */
const MIN_WEIGHTED = 3;
const MIN_WEIGHTED_SHARE = 0.25;
/** Words for joints that steer others: targets, poles, controls, the chains of a solver, ends without a bone. */
const HELPER_NAME =
  /(^|[\s_.:|-]|\d)(ik|fk|mch|org|drv|poles?|targets?|ctrls?|controls?|null|locator|helper|nub|effector|eff|goal|pivot|socket|attach|end|tip_end)(?=$|[\s_.:|-]|\d)/i;
/** Outside of the body by this share of its size. */
const OUTSIDE_SHARE = 0.05;

/**
 * Joints that a rig has for other things than moving the surface. Where the file has weights, those without any, unless
 * they look forgotten: a hole in a chain, or one side of a pair. Where it has none, those that are called so, that lie
 * outside of the body with all that hangs on them, or that stand in the place of another of their like.
 */
export function helperJoints(input: Input): Set<number> {
  const { parts, skeleton, rows, roots } = input;
  const masses = new Float64Array(skeleton.joints.length);
  parts.forEach(({ role }, part) => {
    if (role === 'skinned') jointMass(rows[part], masses.length, masses);
  });
  const live = liveJoints(skeleton).filter((joint) => !roots.has(joint));
  const weighted = live.filter((joint) => masses[joint] > 0);
  const isPainted = weighted.length >= Math.max(MIN_WEIGHTED, MIN_WEIGHTED_SHARE * live.length);
  const found = isPainted ? withoutWeight(input, live, masses) : byLooks(input, live);
  // What nothing is left of was meant otherwise.
  return found.length < live.length ? new Set(found) : new Set();
}

function withoutWeight({ skeleton, pairs }: Input, live: readonly number[], masses: Float64Array): number[] {
  const children = childrenOf(skeleton);
  return live.filter((joint) => {
    if (masses[joint] > 0) return false;
    const partner = pairs.partner[joint];
    if (partner >= 0 && masses[partner] > 0) return false;
    const { parent } = skeleton.joints[joint];
    return !(parent >= 0 && masses[parent] > 0 && children[joint].some((child) => masses[child] > 0));
  });
}

function byLooks(input: Input, live: readonly number[]): number[] {
  const { skeleton } = input;
  const isCalledSo = (joint: number): boolean => HELPER_NAME.test(skeleton.joints[joint].name);
  const doubled = inPlaceOfAnother(input, live, isCalledSo);
  return live.filter((joint) => isCalledSo(joint) || doubled.has(joint) || isOutside(input, joint));
}

function isOutside({ skeleton, places, box }: Input, joint: number): boolean {
  const size = Math.hypot(...box.most.map((x, k) => x - box.least[k]));
  return subtreeOf(skeleton, joint).every((each) =>
    [0, 1, 2].some((k) => {
      const x = places[each * 3 + k];
      return x < box.least[k] - OUTSIDE_SHARE * size || x > box.most[k] + OUTSIDE_SHARE * size;
    }),
  );
}

/** Of joints in one place that are no parent and child, all but one: the first that is not called a helper. */
function inPlaceOfAnother(
  { skeleton, places, tolerance }: Input,
  live: readonly number[],
  isCalledSo: (joint: number) => boolean,
): Set<number> {
  const doubled = new Set<number>();
  const isAbove = (a: number, b: number): boolean => {
    for (let up = b; up >= 0; up = skeleton.joints[up].parent) if (up === a) return true;
    return false;
  };
  const kept: number[] = [];
  for (const joint of [...live].sort((a, b) => Number(isCalledSo(a)) - Number(isCalledSo(b)) || a - b)) {
    const other = kept.find((each) => {
      const apart = [0, 1, 2].map((k) => places[each * 3 + k] - places[joint * 3 + k]);
      return Math.hypot(...apart) < 0.01 * tolerance && !isAbove(each, joint) && !isAbove(joint, each);
    });
    if (other === undefined) kept.push(joint);
    else doubled.add(joint);
  }
  return doubled;
}
