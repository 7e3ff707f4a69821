import { sizesOf, unitFactor, UNITS_RATIO } from '../../document/space/unitFactor.ts';
import { mat4 } from 'gl-matrix';
import { applyScale } from '../../skeleton/applyScale.ts';
import { liveJoints, restWorld } from '../../skeleton/skeleton.ts';
import { jointMass } from '../../weights/rows.ts';
import type { CheckInput } from '../../document/checkInput.ts';
import { counted, type Finding } from '../../document/finding.ts';
import { helperJoints } from './helperJoints.ts';

/** A matrix this far from another, in shares of the character's size or of one, differs. */
const TOLERANCE = 1e-3;

const NAMED = 4;

/** What is wrong with the joints. */
export function findSkeletonTroubles(input: CheckInput): Finding[] {
  const { skeleton } = input;
  if (liveJoints(skeleton).length === 0) {
    const message = 'There is no joint yet. Under Bind, a click on the body places one.';
    return [{ code: 'no-joints', severity: 'error', count: 0, message }];
  }
  return [
    ...findSize(input),
    ...findNames(input),
    ...findRest(input),
    ...findTransforms(input),
    ...findIdle(input),
    ...findHelpers(input),
    ...findSides(input),
  ];
}

function listNames({ skeleton }: CheckInput, joints: readonly number[]): string {
  const shown = joints.slice(0, NAMED).map((joint) => `“${skeleton.joints[joint].name}”`);
  return shown.join(', ') + (joints.length > NAMED ? ` and ${joints.length - NAMED} more` : '');
}

function some(joints: readonly number[], finding: Omit<Finding, 'count' | 'joints'>): Finding[] {
  return joints.length > 0 ? [{ ...finding, joint: joints[0], joints, count: joints.length }] : [];
}

const all = (input: CheckInput): number[] => liveJoints(input.skeleton);

function findSize(input: CheckInput): Finding[] {
  const { box } = input;
  const { ratio, meshSize, least, most } = sizesOf(input);
  if (Number.isNaN(ratio)) return [];
  const count = all(input).length;
  if (ratio > UNITS_RATIO || ratio < 1 / (UNITS_RATIO * 4)) {
    const times = ratio > 1 ? ratio : 1 / ratio;
    const message = `The skeleton is about ${times.toPrecision(2).replace(/e\+?(\d+)/, '·10^$1')} times ${ratio > 1 ? 'larger' : 'smaller'} than the mesh.`;
    const factor = unitFactor(input);
    const repair = `Every length of the skeleton is multiplied by ${Number(factor.toPrecision(3))}; the mesh and its weights stay.`;
    return [{ code: 'skeleton-units', severity: 'error', count, message, repair }];
  }
  const apart = Math.hypot(
    ...[0, 1, 2].map((k) => Math.max(0, least[k] - box.most[k], box.least[k] - most[k])),
  );
  if (apart > 0.25 * meshSize) {
    const message = 'No joint lies in or near the mesh.';
    return [{ code: 'skeleton-far', severity: 'error', count, message }];
  }
  return [];
}

function findNames(input: CheckInput): Finding[] {
  const { joints } = input.skeleton;
  const byName = new Map<string, number[]>();
  all(input).forEach((joint) => {
    const { name, named } = joints[joint];
    if (named) byName.set(name, [...(byName.get(name) ?? []), joint]);
  });
  const double = [...byName.values()].filter((same) => same.length > 1).flat();
  const missing = all(input).filter((joint) => !joints[joint].named);
  return [
    ...some(double, {
      code: 'joint-name-double',
      severity: 'warning',
      message: `${counted(double.length, 'joint shares its name', 'joints share their names')}: ${listNames(
        input,
        [...byName.values()].filter((same) => same.length > 1).map(([first]) => first),
      )}.`,
      repair: 'All but the first of each name get a number behind it.',
      safe: true,
    }),
    ...some(missing, {
      code: 'joint-name-missing',
      severity: 'warning',
      message: `${counted(missing.length, 'joint has', 'joints have')} no name.`,
      repair: `${counted(missing.length, 'joint is', 'joints are')} named after their parents.`,
      safe: true,
    }),
  ];
}

/** Where the nodes stand against where the skin was bound: world · inverse bind must be the same for all joints. */
function findRest(input: CheckInput): Finding[] {
  const { skeleton, parts, box } = input;
  const world = restWorld(skeleton);
  const size = Math.hypot(...box.most.map((x, k) => x - box.least[k])) || 1;
  const differing = new Set<number>();
  const product = mat4.create();
  for (const { inverseBinds, source, role } of parts) {
    if (role !== 'skinned') continue;
    const place = inverseBinds.subarray(inverseBinds.length - 16);
    for (const joint of new Set(source.jointOfSlot)) {
      mat4.multiply(
        product,
        world.subarray(joint * 16, joint * 16 + 16),
        inverseBinds.subarray(joint * 16, joint * 16 + 16),
      );
      const turned = Math.max(...[0, 1, 2, 4, 5, 6, 8, 9, 10].map((i) => Math.abs(product[i] - place[i])));
      const moved = Math.hypot(...[12, 13, 14].map((i) => product[i] - place[i]));
      const scale = Math.cbrt(Math.abs(mat4.determinant(place))) || 1;
      if (turned > 10 * TOLERANCE * scale || moved > TOLERANCE * size) differing.add(joint);
    }
  }
  const joints = [...differing].sort((a, b) => a - b);
  return some(joints, {
    code: 'rest-differs',
    severity: 'warning',
    message: `${counted(joints.length, 'joint stands', 'joints stand')} elsewhere than where the skin was bound: ${listNames(input, joints)}.`,
  });
}

function findTransforms(input: CheckInput): Finding[] {
  const { joints } = input.skeleton;
  const mirrored = all(input).filter((joint) => {
    const { scale, offset } = joints[joint];
    return scale[0] * scale[1] * scale[2] < 0 || mat4.determinant(offset) < 0;
  });
  const { places, parts, tolerance } = input;
  const onParent = all(input).filter((joint) => {
    const { parent } = joints[joint];
    if (parent < 0) return false;
    return (
      Math.hypot(...[0, 1, 2].map((k) => places[joint * 3 + k] - places[parent * 3 + k])) < 0.01 * tolerance
    );
  });
  const flipped = parts.flatMap(({ name, inverseBinds }, part): Finding[] => {
    const place = inverseBinds.subarray(inverseBinds.length - 16);
    if (mat4.determinant(place) >= 0) return [];
    const message = `“${name}” stands mirrored at rest.`;
    return [{ code: 'mirrored-transform', severity: 'warning', part, count: 1, message }];
  });
  return [
    ...some(mirrored, {
      code: 'mirrored-transform',
      severity: 'warning',
      message: `${counted(mirrored.length, 'joint has', 'joints have')} a mirrored transform: ${listNames(input, mirrored)}.`,
    }),
    ...flipped,
    ...findScales(input),
    ...some(onParent, {
      code: 'joint-on-parent',
      severity: 'note',
      message: `${counted(onParent.length, 'joint stands', 'joints stand')} where the parent stands: ${listNames(input, onParent)}.`,
    }),
  ];
}

/** From this factor on a scale is no fine adjustment: moves, physics and attachments come out so many times as large. */
const LARGE_SCALE = 4;

/** Joints that are scaled at rest, or stand in something that is. */
function findScales(input: CheckInput): Finding[] {
  const { joints } = input.skeleton;
  const scaleOf = (joint: number): number[] => {
    const { scale, parent, offset } = joints[joint];
    const above = parent < 0 ? Math.cbrt(Math.abs(mat4.determinant(offset))) : 1;
    return scale.map((each) => Math.abs(each) * above);
  };
  const scaled = all(input).filter((joint) => scaleOf(joint).some((s) => Math.abs(s - 1) > TOLERANCE));
  const strongest = scaled.reduce(
    (most, joint) => Math.max(most, ...scaleOf(joint).map((s) => Math.max(s, 1 / s))),
    1,
  );
  const isLarge = strongest > LARGE_SCALE;
  const goes = new Set(applyScale(input.skeleton).map(({ joint }) => joint));
  const byHow = Number.isFinite(strongest)
    ? `, by up to ${Number(strongest.toPrecision(3))} times`
    : ', flat';
  return some(scaled, {
    code: 'scaled-transform',
    severity: isLarge ? 'warning' : 'note',
    message: `${counted(scaled.length, 'joint is', 'joints are')} scaled at rest${isLarge ? byHow : ''}: ${listNames(input, scaled)}.`,
    ...(scaled.some((joint) => goes.has(joint)) && {
      repair:
        'Scales are applied: lengths below are multiplied instead. Joints, mesh and clips stay where they are.',
    }),
  });
}

function massOf({ skeleton, rows, parts }: CheckInput): Float64Array {
  const mass = new Float64Array(skeleton.joints.length);
  rows.forEach((own, part) => parts[part].role === 'skinned' && jointMass(own, mass.length, mass));
  return mass;
}

/** Joints without weight; those whose partner has some are told apart, since that is hardly ever meant. */
function findHelpers(input: CheckInput): Finding[] {
  const off = [...helperJoints(input)].filter((joint) => input.nonDeforming.has(joint));
  return some(off, {
    code: 'helper-joints',
    severity: 'note',
    message: `${counted(off.length, 'joint is', 'joints are')} taken for ${off.length === 1 ? 'a helper' : 'helpers'} that should not deform: ${listNames(input, off)}.`,
  });
}

function findIdle(input: CheckInput): Finding[] {
  const mass = massOf(input);
  const { partner } = input.pairs;
  const idle = all(input).filter(
    (joint) => mass[joint] === 0 && !input.roots.has(joint) && !input.nonDeforming.has(joint),
  );
  const oneSided = idle.filter(
    (joint) => partner[joint] >= 0 && partner[joint] !== joint && mass[partner[joint]] > 0,
  );
  const rest = idle.filter((joint) => !oneSided.includes(joint));
  return [
    ...some(oneSided, {
      code: 'side-without-weight',
      severity: 'warning',
      message: `${counted(oneSided.length, 'joint has', 'joints have')} no weight while the other side’s ${oneSided.length === 1 ? 'has' : 'have'}: ${listNames(input, oneSided)}.`,
    }),
    ...some(rest, {
      code: 'joint-without-weight',
      severity: 'note',
      message: `${counted(rest.length, 'joint has', 'joints have')} no weight: ${listNames(input, rest)}.`,
    }),
  ];
}

function findSides(input: CheckInput): Finding[] {
  const { places, pairs, tolerance } = input;
  const { partner, axis, middle, basis } = pairs;
  let worst = 0;
  const differing = all(input).filter((joint) => {
    const other = partner[joint];
    if (other <= joint || basis[joint] !== 'name') return false;
    const far = Math.hypot(
      ...[0, 1, 2].map(
        (k) =>
          (k === axis ? 2 * middle - places[joint * 3 + k] : places[joint * 3 + k]) - places[other * 3 + k],
      ),
    );
    worst = Math.max(worst, far);
    return far > tolerance;
  });
  return some(differing, {
    code: 'skeleton-asymmetry',
    severity: 'warning',
    message: `${counted(differing.length, 'pair of joints is', 'pairs of joints are')} not mirrored: ${listNames(input, differing)}, by up to ${worst.toPrecision(2)}.`,
  });
}
