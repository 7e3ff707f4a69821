import { mat4, quat, vec3 } from 'gl-matrix';
import { childrenOf } from '../../skeleton/skeleton.ts';
import type { JointMatch } from './matchJoints.ts';
import type { TransferSource } from './source.ts';

/** Bones are not stretched or shrunk beyond this. */
const MAX_STRETCH = 2.5;
/** Counterparts less sure than this do not pull. */
const SURE_ENOUGH = 0.5;

/**
 * Bends and stretches a source, by its own weights, so that its joints stand where their counterparts do: bodies of other
 * proportions, or bound in another pose, come to lie over each other.
 *
 * @param placed  one a source part, Float32Array, 3·pointCount: aligned already
 * @param places  the source's joints, aligned already
 */
export function bendIntoPlace(
  source: TransferSource,
  placed: readonly Float32Array[],
  places: Float32Array,
  targetPlaces: Float32Array,
  joints: readonly JointMatch[],
): Float32Array[] {
  const counterpart = new Map(
    joints
      .filter(({ sure, target }) => sure >= SURE_ENOUGH && target >= 0)
      .map(({ source: from, target }) => [from, target]),
  );
  const matrices = jointMatrices(source, places, targetPlaces, counterpart);
  return placed.map((positions, i) => deform(positions, source, i, matrices));
}

function jointMatrices(
  { skeleton }: TransferSource,
  places: Float32Array,
  targetPlaces: Float32Array,
  counterpart: ReadonlyMap<number, number>,
): mat4[] {
  const children = childrenOf(skeleton);
  const at = (from: Float32Array, joint: number): vec3 =>
    vec3.fromValues(from[joint * 3], from[joint * 3 + 1], from[joint * 3 + 2]);
  const matrices: mat4[] = [];
  const matrixOf = (joint: number): mat4 => {
    const made = matrices[joint] as mat4 | undefined;
    if (made) return made;
    const { parent } = skeleton.joints[joint];
    const target = counterpart.get(joint);
    if (target === undefined) return (matrices[joint] = parent >= 0 ? matrixOf(parent) : mat4.create());
    const [own, theirs] = [at(places, joint), at(targetPlaces, target)];
    // Where several bones leave, no one of them says how the joint is turned.
    const next = children[joint].filter((child) => counterpart.has(child));
    let turn = quat.create();
    let stretch = 1;
    if (next.length === 1) {
      const bone = vec3.sub(vec3.create(), at(places, next[0]), own);
      const wanted = vec3.sub(vec3.create(), at(targetPlaces, counterpart.get(next[0]) ?? 0), theirs);
      const [length, other] = [vec3.length(bone), vec3.length(wanted)];
      if (length > 0 && other > 0) {
        quat.rotationTo(turn, vec3.normalize(bone, bone), vec3.normalize(wanted, wanted));
        stretch = Math.min(MAX_STRETCH, Math.max(1 / MAX_STRETCH, other / length));
      }
    } else if (next.length === 0 && parent >= 0) turn = mat4.getRotation(turn, matrixOf(parent));
    const matrix = mat4.fromRotationTranslationScale(mat4.create(), turn, theirs, [
      stretch,
      stretch,
      stretch,
    ]);
    mat4.translate(matrix, matrix, vec3.negate(vec3.create(), own));
    return (matrices[joint] = matrix);
  };
  skeleton.joints.forEach((_, joint) => matrixOf(joint));
  return matrices;
}

function deform(
  positions: Float32Array,
  source: TransferSource,
  part: number,
  matrices: readonly mat4[],
): Float32Array {
  const { rows } = source.parts[part];
  const moved = new Float32Array(positions.length);
  for (let p = 0; p < rows.pointCount; p++) {
    const [x, y, z] = [positions[p * 3], positions[p * 3 + 1], positions[p * 3 + 2]];
    let sum = 0;
    for (let k = p * rows.stride; k < (p + 1) * rows.stride && rows.values[k] !== 0; k++) {
      const m = matrices[rows.joints[k]];
      const weight = rows.values[k];
      sum += weight;
      for (let i = 0; i < 3; i++)
        moved[p * 3 + i] += weight * (m[i] * x + m[4 + i] * y + m[8 + i] * z + m[12 + i]);
    }
    if (sum === 0) moved.set([x, y, z], p * 3);
  }
  return moved;
}
