import { mat3, mat4, quat, vec3 } from 'gl-matrix';
import type { XmlElement } from '../xml/xmlTree.ts';
import { exactNumbers } from './daeTree.ts';

const NUMBERS: Readonly<Record<string, number | undefined>> = {
  matrix: 16,
  translate: 3,
  rotate: 4,
  scale: 3,
  lookat: 9,
  skew: 7,
};

/** One step of the way from a node to the one above it. */
export interface DaeTransform {
  readonly kind: string;
  readonly sid: string;
  readonly values: Float64Array;
}

export function transformsOf(node: XmlElement): DaeTransform[] {
  return node.children.flatMap((child) => {
    const count = NUMBERS[child.name];
    if (count === undefined) return [];
    return [{ kind: child.name, sid: child.attributes.sid ?? '', values: exactNumbers(child, count) }];
  });
}

/** Sixteen numbers, row by row, as the matrix that they are. */
export function fromRows(values: ArrayLike<number>, at = 0): Float64Array {
  const matrix = new Float64Array(16);
  for (let row = 0; row < 4; row++)
    for (let column = 0; column < 4; column++) matrix[column * 4 + row] = values[at + row * 4 + column];
  return matrix;
}

/** The product of a node's transforms, in the order in which they stand. */
export function matrixOf(transforms: readonly Pick<DaeTransform, 'kind' | 'values'>[]): Float64Array {
  let product: Float64Array | undefined;
  for (const { kind, values } of transforms) {
    const step = stepOf(kind, values) as Float64Array;
    if (product) mat4.multiply(product, product, step);
    else product = step;
  }
  return product ?? new Float64Array(mat4.create());
}

function stepOf(kind: string, v: ArrayLike<number>): mat4 {
  if (kind === 'matrix') return fromRows(v);
  const step = new Float64Array(mat4.create()) as unknown as mat4;
  if (kind === 'translate') return mat4.translate(step, step, [v[0], v[1], v[2]]);
  if (kind === 'scale') return mat4.scale(step, step, [v[0], v[1], v[2]]);
  if (kind === 'rotate') {
    // About no axis at all, nothing turns.
    return Math.hypot(v[0], v[1], v[2]) < 1e-9
      ? step
      : mat4.rotate(step, step, (v[3] * Math.PI) / 180, [v[0], v[1], v[2]]);
  }
  if (kind === 'lookat')
    return mat4.targetTo(step, [v[0], v[1], v[2]], [v[3], v[4], v[5]], [v[6], v[7], v[8]]);
  return skew(step, v);
}

/** A slant by an angle: along the second axis, by the distance along the first (COLLADA 1.4.1, “skew”). */
function skew(step: mat4, v: ArrayLike<number>): mat4 {
  const slope = Math.tan((v[0] * Math.PI) / 180);
  const [about, along] = [vec3.fromValues(v[1], v[2], v[3]), vec3.fromValues(v[4], v[5], v[6])];
  vec3.normalize(about, about);
  vec3.normalize(along, along);
  for (let column = 0; column < 3; column++)
    for (let row = 0; row < 3; row++) step[column * 4 + row] += slope * about[column] * along[row];
  return step;
}

/** A place in parts: translation, unit quaternion, scale. */
export interface Parts {
  readonly translation: [number, number, number];
  readonly rotation: [number, number, number, number];
  readonly scale: [number, number, number];
}

/** A matrix in parts. A mirrored one gets a negative first scale. What is slanted is not, in parts. */
export function partsOf(m: ArrayLike<number>): Parts {
  const length = (k: number): number =>
    Math.sqrt(m[k * 4] * m[k * 4] + m[k * 4 + 1] * m[k * 4 + 1] + m[k * 4 + 2] * m[k * 4 + 2]);
  const scale: [number, number, number] = [length(0), length(1), length(2)];
  const volume =
    (m[1] * m[6] - m[2] * m[5]) * m[8] +
    (m[2] * m[4] - m[0] * m[6]) * m[9] +
    (m[0] * m[5] - m[1] * m[4]) * m[10];
  if (volume < 0) scale[0] = -scale[0];
  const turn = mat3.create();
  for (let k = 0; k < 3; k++)
    for (let i = 0; i < 3; i++) turn[k * 3 + i] = scale[k] === 0 ? 0 : m[k * 4 + i] / scale[k];
  // Two axes tell the third, where one of them is nothing.
  const rotation = quat.fromMat3(quat.create(), turn);
  quat.normalize(rotation, rotation);
  const isTurn = [...rotation].every(Number.isFinite) && quat.length(rotation) > 0.5;
  return {
    translation: [m[12], m[13], m[14]],
    rotation: isTurn ? [rotation[0], rotation[1], rotation[2], rotation[3]] : [0, 0, 0, 1],
    scale,
  };
}

/** Whether a matrix is what its parts say. */
export function isWhole(m: ArrayLike<number>, { translation, rotation, scale }: Parts): boolean {
  const again = mat4.fromRotationTranslationScale(new Float64Array(16), rotation, translation, scale);
  const size = Math.max(...Array.from(m, Math.abs).slice(0, 12));
  return Array.from(again).every((x, i) => Math.abs(x - m[i]) <= 1e-5 * size || i >= 12);
}
