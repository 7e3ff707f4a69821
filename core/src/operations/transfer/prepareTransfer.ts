import { CoreError } from '../../errors.ts';
import { jointPlaces } from '../../document/space/bindSpace.ts';
import { boundBox, longestSide } from '../../document/space/boundSpace.ts';
import type { CharacterPart } from '../../document/character.ts';
import type { Skeleton } from '../../skeleton/skeleton.ts';
import { jointMass } from '../../weights/rows.ts';
import { alignPlaces, IDENTITY_ALIGNMENT, movedPlaces, type Alignment } from './alignment.ts';
import { bendIntoPlace } from './bendIntoPlace.ts';
import { matchJoints, type JointMatch } from './matchJoints.ts';
import type { TransferSource } from './source.ts';

/** What a transfer goes by before it is done: shown, and corrected by a person. */
export interface PreparedTransfer {
  readonly joints: readonly JointMatch[];
  readonly alignment: Alignment;
  /** How the alignment was found: by joints, not at all (they stand alike), or not (too few joints match). */
  readonly basis: 'joints' | 'alike' | 'unknown';
  /** Where the source parts' points are, in target bound space. */
  readonly placed: readonly Float32Array[];
  /** Whether its limbs were bent and stretched, as its joints stand otherwise than the target's. */
  readonly isBent: boolean;
}

/** Joints at least so sure say how the bodies lie to each other. */
const SURE_ENOUGH = 0.7;
/** Bodies whose joints are no farther apart than this share of the size stand alike. */
const ALIKE = 1e-3;
/** Where more than this is left after aligning, proportions or poses differ. */
const OTHER_PROPORTIONS = 0.01;
/** A mirrored body fits so much better mirrored. */
const MIRRORED = 0.25;

/**
 * Matches the joints of a source with a target's and brings the source onto the target.
 *
 * @param given counterparts that a person has set, by source joint
 * @throws CoreError argument-invalid for a source without weights, with no joint in common, mirrored, or of two bodies
 */
export function prepareTransfer(
  source: TransferSource,
  target: { readonly skeleton: Skeleton; readonly parts: readonly CharacterPart[] },
  given: ReadonlyMap<number, number> = new Map(),
): PreparedTransfer {
  if (source.parts.length === 0)
    throw new CoreError('argument-invalid', 'The source has no weights that could be taken.');
  const theirs = { skeleton: target.skeleton, places: jointPlaces(target.skeleton, target.parts) };
  const size = longestSide(boundBox(target.parts)) || 1;
  const first = matchJoints(source, theirs, given);
  refuseTwoBodies(source, first);
  const { alignment, basis } = align(source, theirs.places, first, size);
  if (
    basis === 'joints' &&
    alignment.mirroredResidual < MIRRORED * alignment.residual &&
    alignment.residual > 0.02 * size
  )
    throw new CoreError(
      'argument-invalid',
      'The source is mirrored: its left stands where the right of this character is. Mirror one of them first.',
    );
  const places = movedPlaces(source.places, alignment.matrix);
  const joints = matchJoints({ skeleton: source.skeleton, places }, theirs, given, basis !== 'unknown');
  if (joints.every(({ target: to }) => to < 0))
    throw new CoreError(
      'argument-invalid',
      'The source has no joint in common with this character, by name, by place or by what it is in a body.',
    );
  const isBent = basis === 'joints' && alignment.residual > OTHER_PROPORTIONS * size;
  const placed = source.parts.map(({ positions }) => movedPlaces(positions, alignment.matrix));
  return {
    ...{ joints, alignment, basis, isBent },
    placed: isBent ? bendIntoPlace(source, placed, places, theirs.places, joints) : placed,
  };
}

function align(
  source: TransferSource,
  targetPlaces: Float32Array,
  joints: readonly JointMatch[],
  size: number,
): Pick<PreparedTransfer, 'alignment' | 'basis'> {
  const pairs = joints.filter(({ sure, target }) => sure >= SURE_ENOUGH && target >= 0);
  const [from, to] = [new Float32Array(pairs.length * 3), new Float32Array(pairs.length * 3)];
  let apart = 0;
  pairs.forEach(({ source: s, target: t }, i) => {
    from.set(source.places.subarray(s * 3, s * 3 + 3), i * 3);
    to.set(targetPlaces.subarray(t * 3, t * 3 + 3), i * 3);
    apart = Math.max(apart, Math.hypot(...[0, 1, 2].map((k) => from[i * 3 + k] - to[i * 3 + k])));
  });
  if (pairs.length > 0 && apart <= ALIKE * size) return { alignment: IDENTITY_ALIGNMENT, basis: 'alike' };
  const alignment = alignPlaces(from, to);
  return alignment ? { alignment, basis: 'joints' } : { alignment: IDENTITY_ALIGNMENT, basis: 'unknown' };
}

/** Two skeletons with the same names in one file: whose weights are meant cannot be told. */
function refuseTwoBodies(source: TransferSource, joints: readonly JointMatch[]): void {
  const { skeleton } = source;
  const masses = new Float64Array(skeleton.joints.length);
  for (const { rows } of source.parts) jointMass(rows, masses.length, masses);
  const roots = new Map<number, number>();
  const names = new Map<string, Set<number>>();
  for (const { source: joint } of joints) {
    if (masses[joint] === 0) continue;
    let root = joint;
    while (skeleton.joints[root].parent >= 0) root = skeleton.joints[root].parent;
    roots.set(root, (roots.get(root) ?? 0) + 1);
    const name = skeleton.joints[joint].name
      .replace(/^.*[:|]/, '')
      .replace(/[._ ]?\d+$/, '')
      .toLowerCase();
    names.set(name, (names.get(name) ?? new Set()).add(root));
  }
  if (roots.size < 2) return;
  const shared = [...names.values()].filter((own) => own.size > 1).length;
  if (shared * 2 > names.size && shared > 2)
    throw new CoreError(
      'argument-invalid',
      'The source has two bodies with the same joints. Choose the parts of one of them.',
    );
}
