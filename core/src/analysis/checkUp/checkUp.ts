import { findBodyPlane } from '../../document/space/bodyPlane.ts';
import { boundBox } from '../../document/space/boundSpace.ts';
import type { CheckInput } from '../../document/checkInput.ts';
import { jointPlaces } from '../../document/space/bindSpace.ts';
import type { Character } from '../../document/character.ts';
import { pairJoints } from '../../skeleton/pairs.ts';
import { liveJoints } from '../../skeleton/skeleton.ts';
import type { WeightRows } from '../../weights/rows.ts';
import { byWorst, counted, type Finding } from '../../document/finding.ts';
import { DEFAULT_PROFILE, isNameTaken, type DeliveryProfile } from '../../document/profiles.ts';
import { findHandlesApart } from './drawingFindings.ts';
import { findGapingSeams } from './layerSeams.ts';
import { findShapeTroubles } from './shapeFindings.ts';
import { findSkeletonTroubles } from './skeletonFindings.ts';
import { findMeshAsymmetry } from './symmetry.ts';
import { findMisplaced } from './misplacedFindings.ts';
import { findSeams } from './seamFindings.ts';
import { findSourceTroubles, findWeightTroubles } from './weightFindings.ts';
import { grouped } from '../../math/grouped.ts';

export interface CheckOptions {
  readonly profile?: DeliveryProfile;
  readonly nonDeforming?: ReadonlySet<number>;
  /** The weights to check; the character's own where they are missing. */
  readonly rows?: readonly WeightRows[];
  readonly watch?: (share: number) => void;
}

const TOLERANCE_SHARE = 2e-3;

/** Everything that is wrong with a character, or may be, worst first. */
export function checkUp(character: Character, options: CheckOptions = {}): Finding[] {
  const { watch = () => undefined } = options;
  const input = checkInput(character, options);
  const findings: Finding[] = [];
  const looks = [
    () => findSourceTroubles(character),
    () => findWeightTroubles(input),
    () => findMisplaced(input),
    () => findSeams(input),
    () => findSkeletonTroubles(input),
    () => findLimits(input),
    // The mesh of a drawing is ours, not somebody's work.
    () =>
      input.drawing
        ? [...findHandlesApart(input), ...findGapingSeams(input)]
        : [...findShapeTroubles(input), ...findMeshAsymmetry(input)],
  ];
  looks.forEach((look, i) => {
    findings.push(...look());
    watch((i + 1) / looks.length);
  });
  return findings.sort(byWorst);
}

/** The character as the checks need it. */
export function checkInput(character: Character, options: CheckOptions): CheckInput {
  const { parts, skeleton, sourceWeights, drawing } = character;
  const rows = options.rows ?? character.rows;
  const skinned = parts.filter(({ role }) => role === 'skinned');
  const places =
    skinned.length > 0 ? jointPlaces(skeleton, skinned) : new Float32Array(skeleton.joints.length * 3);
  const box = boundBox(parts);
  const size = Math.hypot(...box.most.map((x, k) => x - box.least[k]));
  const tolerance = TOLERANCE_SHARE * size;
  return {
    parts,
    skeleton,
    sourceWeights,
    drawing,
    rows,
    cameRows: character.rows,
    profile: options.profile ?? DEFAULT_PROFILE,
    nonDeforming: options.nonDeforming ?? new Set(),
    roots: strayRoots(character, places, box),
    places,
    pairs: pairJoints(skeleton, places, 5 * tolerance, {}, findBodyPlane(parts)),
    box,
    tolerance,
  };
}

const ROOT_NAME = /^(root|armature|origin|reference|global|master|world|scene|main)([\s_.:|-].*|\d*)$/i;

/** Roots with children that are called so, or stand on the edge of the body's box or outside of it. */
function strayRoots(
  { skeleton, parts }: Character,
  places: Float32Array,
  box: CheckInput['box'],
): Set<number> {
  const { joints } = skeleton;
  const roots = new Set<number>();
  const hasChild = new Set(joints.map(({ parent }) => parent));
  const bound = parts.some(({ role }) => role === 'skinned');
  joints.forEach(({ name, parent, removed }, joint) => {
    if (removed || parent >= 0 || !hasChild.has(joint) || joints.length < 3 || !bound) return;
    const outside = [0, 1, 2].some((k) => {
      const margin = 0.02 * (box.most[k] - box.least[k]);
      const x = places[joint * 3 + k];
      return x < box.least[k] - margin || x > box.most[k] + margin;
    });
    if (outside || ROOT_NAME.test(name)) roots.add(joint);
  });
  return roots;
}

/** Joints and parts that are not called as the profile wants. */
function findNames(
  skeleton: CheckInput['skeleton'],
  parts: CheckInput['parts'],
  { name, names }: DeliveryProfile,
): Finding[] {
  if (!names) return [];
  const bad = liveJoints(skeleton).filter((joint) => !isNameTaken(skeleton.joints[joint].name, names));
  const badParts = parts.filter((part) => !isNameTaken(part.name, names));
  const count = bad.length + badParts.length;
  if (count === 0) return [];
  const first = bad.length > 0 ? skeleton.joints[bad[0]].name : badParts[0].name;
  return [
    {
      code: 'names-not-taken',
      severity: 'warning',
      joints: bad,
      count,
      message: `${counted(count, 'name is', 'names are')} not as “${name}” wants, “${first}” for one.`,
    },
  ];
}

function findLimits({ skeleton, parts, profile }: CheckInput): Finding[] {
  const findings: Finding[] = [];
  const joints = liveJoints(skeleton).length;
  const vertices = parts.reduce((sum, { vertexCount }) => sum + vertexCount, 0);
  const over = (count: number, what: string, limit: number): string =>
    `There are ${grouped(count)} ${what}; “${profile.name}” takes ${grouped(limit)}.`;
  findings.push(...findNames(skeleton, parts, profile));
  if (joints > profile.joints)
    findings.push({
      code: 'many-joints',
      severity: 'warning',
      count: joints,
      message: over(joints, 'joints', profile.joints),
    });
  if (vertices > profile.vertices)
    findings.push({
      code: 'many-vertices',
      severity: 'warning',
      count: vertices,
      message: over(vertices, 'vertices', profile.vertices),
    });
  return findings;
}
