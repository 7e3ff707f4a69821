import type { Character } from '../../document/character.ts';
import { influenceCount, type WeightRows } from '../../weights/rows.ts';
import { counted, type Finding } from '../../document/finding.ts';
import type { CheckInput } from '../../document/checkInput.ts';

/** Units in which some programs write weights, by what their sums come to. */
const UNITS = [100, 255];
const UNIT_TOLERANCE = 0.1;

/** What the file's own weights were like before they were read; reading has put all of it right. */
export function findSourceTroubles(character: Pick<Character, 'parts' | 'sourceWeights'>): Finding[] {
  return character.parts.flatMap(({ name, vertexPoint }, part) => {
    const { sums, brokenVertices, sumTolerance } = character.sourceWeights[part];
    const inUnits = (sum: number): boolean => UNITS.some((unit) => Math.abs(sum / unit - 1) < UNIT_TOLERANCE);
    const pick = (test: (sum: number, vertex: number) => boolean) => pickVertices(sums, vertexPoint, test);
    const units = pick((sum) => inUnits(sum));
    const off = pick((sum) => sum > 0 && Math.abs(sum - 1) > sumTolerance && !inUnits(sum));
    const broken = pick((_, vertex) => brokenVertices[vertex] === 1);
    const repair = 'Weights are scaled so that each point’s sum to one.';
    const settled = { part, repair, safe: true, settled: true } as const;
    return [
      ...found(broken, {
        ...settled,
        code: 'broken-weights',
        severity: 'error',
        repair: 'They are taken as nothing, and the other influences scaled to one.',
        message: `On “${name}”, ${counted(broken.vertices, 'vertex has', 'vertices have')} a weight that is negative or no number.`,
      }),
      ...found(units, {
        ...settled,
        code: 'weights-in-units',
        severity: 'error',
        message: `On “${name}”, the weights of ${counted(units.vertices, 'vertex', 'vertices')} sum to about ${unitOf(units.sample)}, not one.`,
      }),
      ...found(off, {
        ...settled,
        code: 'sums-off-one',
        severity: 'warning',
        message: `On “${name}”, the weights of ${counted(off.vertices, 'vertex do', 'vertices do').replace('vertex do', 'vertex does')} not sum to one (${range(off.least, off.most)}).`,
      }),
    ];
  });
}

interface Picked {
  readonly vertices: number;
  readonly points: Uint32Array;
  readonly sample: number;
  readonly least: number;
  readonly most: number;
}

function pickVertices(
  sums: Float32Array,
  vertexPoint: Uint32Array,
  test: (sum: number, vertex: number) => boolean,
): Picked {
  const points = new Set<number>();
  let vertices = 0;
  let sample = 0;
  let least = Infinity;
  let most = 0;
  for (let v = 0; v < sums.length; v++) {
    if (!test(sums[v], v)) continue;
    vertices++;
    points.add(vertexPoint[v]);
    sample = sums[v];
    least = Math.min(least, sums[v]);
    most = Math.max(most, sums[v]);
  }
  return { vertices, points: Uint32Array.from(points).sort(), sample, least, most };
}

function found(picked: Picked, finding: Omit<Finding, 'count' | 'points'>): Finding[] {
  return picked.vertices > 0 ? [{ ...finding, count: picked.vertices, points: picked.points }] : [];
}

const unitOf = (sum: number): number =>
  UNITS.reduce((best, unit) => (Math.abs(sum - unit) < Math.abs(sum - best) ? unit : best));
const range = (least: number, most: number): string => `${least.toFixed(2)} to ${most.toFixed(2)}`;

/** What is wrong with the weights as they stand. */
export function findWeightTroubles({
  parts,
  skeleton,
  rows,
  profile,
  nonDeforming,
  roots,
}: CheckInput): Finding[] {
  const { joints } = skeleton;
  return parts.flatMap(({ name, role }, part) => {
    if (role !== 'skinned') return [];
    const own = rows[part];
    const none = pickPoints(own, (p) => own.values[p * own.stride] === 0);
    const many = pickPoints(own, (p) => influenceCount(own, p) > profile.influences);
    const onRoot = heldPoints(own, roots);
    const onStill = heldPoints(own, new Set([...nonDeforming].filter((joint) => !roots.has(joint))));
    const named = (picked: Held): string => picked.joints.map((j) => `“${joints[j].name}”`).join(', ');
    return [
      ...points(none, {
        code: 'unweighted',
        severity: 'error',
        part,
        // Nothing around could tell a part that has no weight anywhere what to follow.
        ...(none.length === own.pointCount
          ? { message: `“${name}” has no weight at all. Bind it.` }
          : {
              message: `On “${name}”, ${counted(none.length, 'point has', 'points have')} no weight at all.`,
              repair: `${counted(none.length, 'point gets', 'points get')} the weights of the surface around.`,
              safe: true,
            }),
      }),
      ...points(onRoot.points, {
        code: 'tied-to-root',
        severity: 'error',
        part,
        joints: onRoot.joints,
        message: `On “${name}”, ${counted(onRoot.points.length, 'point follows', 'points follow')} ${named(onRoot)}, which no part of the body lies about.`,
        ...handOn(own, roots, `The root’s weight on ${counted(onRoot.points.length, 'point')}`),
      }),
      ...points(onStill.points, {
        code: 'tied-to-still-joint',
        severity: 'error',
        part,
        joints: onStill.joints,
        message: `On “${name}”, ${counted(onStill.points.length, 'point follows', 'points follow')} ${named(onStill)}, whose deforming is off.`,
        ...handOn(own, nonDeforming, `That weight on ${counted(onStill.points.length, 'point')}`),
      }),
      ...points(many, {
        code: 'too-many-influences',
        severity: 'warning',
        part,
        message: `On “${name}”, ${counted(many.length, 'point has', 'points have')} more than the ${profile.influences} influences that “${profile.name}” takes.`,
        repair: `${counted(many.length, 'point keeps', 'points keep')} the ${profile.influences} largest influences; the rest goes to them in proportion.`,
        safe: true,
      }),
    ];
  });
}

/** A repair that gives some joints' weight to others; none where there are no others on the part. */
function handOn(
  { joints, values }: WeightRows,
  from: ReadonlySet<number>,
  what: string,
): Pick<Finding, 'repair' | 'safe'> {
  if (!joints.some((joint, k) => values[k] > 0 && !from.has(joint))) return {};
  return {
    repair: `${what} goes to the other influences, or to those of the surface around.`,
    safe: true,
  };
}

function points(picked: Uint32Array, finding: Omit<Finding, 'count' | 'points'>): Finding[] {
  return picked.length > 0 ? [{ ...finding, count: picked.length, points: picked }] : [];
}

function pickPoints({ pointCount }: WeightRows, test: (point: number) => boolean): Uint32Array {
  const picked: number[] = [];
  for (let p = 0; p < pointCount; p++) if (test(p)) picked.push(p);
  return Uint32Array.from(picked);
}

interface Held {
  readonly points: Uint32Array;
  readonly joints: number[];
}

/** Points with weight on one of some joints. */
function heldPoints(rows: WeightRows, some: ReadonlySet<number>): Held {
  const joints = new Set<number>();
  if (some.size === 0) return { points: new Uint32Array(0), joints: [] };
  const picked = pickPoints(rows, (p) => {
    let held = false;
    for (let k = p * rows.stride; k < (p + 1) * rows.stride && rows.values[k] !== 0; k++) {
      if (!some.has(rows.joints[k])) continue;
      held = true;
      joints.add(rows.joints[k]);
    }
    return held;
  });
  return { points: picked, joints: [...joints].sort((a, b) => a - b) };
}
