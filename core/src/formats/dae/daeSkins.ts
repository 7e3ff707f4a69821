import { mat4 } from 'gl-matrix';
import { numbersOf, wholeNumbersOf } from '../numbers.ts';
import type { XmlElement } from '../xml/xmlTree.ts';
import { type DaeSources, inputNamed, inputsOf, wordsOfSource } from './daeSources.ts';
import { damaged, exactNumbers, find, placeOf, type DaeTree } from './daeTree.ts';
import { fromRows } from './daeTransforms.ts';

export interface DaeSkin {
  /** Names of the joints, in a skeleton; or ids. */
  readonly joints: readonly string[];
  readonly areIds: boolean;
  /** Float32Array, 16 a joint: from the geometry's space, its bind shape in it. */
  readonly inverseBinds: Float32Array;
  /** Uint32Array, one longer than there are positions: where each position's influences begin. */
  readonly starts: Uint32Array;
  readonly slots: Uint16Array;
  readonly weights: Float32Array;
  readonly element: XmlElement;
}

/** Reads a `<skin>` (COLLADA 1.4.1, “skin”). */
export function readSkin(
  tree: DaeTree,
  sources: DaeSources,
  skin: XmlElement,
  positionCount: number,
): DaeSkin {
  const joints = find(skin, 'joints');
  const vertexWeights = find(skin, 'vertex_weights');
  if (!joints || !vertexWeights) throw damaged(skin, 'it has no joints, or no weights');
  const inputs = inputsOf(tree, joints);
  const named = inputNamed(inputs, 'JOINT');
  if (!named) throw damaged(joints, 'it does not name joints');
  const { words, areIds } = wordsOfSource(named);
  const shape = find(skin, 'bind_shape_matrix');
  const bindShape = shape ? fromRows(exactNumbers(shape, 16)) : mat4.create();
  const binds = inputNamed(inputs, 'INV_BIND_MATRIX');
  const matrices = binds && sources.numbers(binds);
  if (matrices && matrices.values.length < words.length * 16)
    throw damaged(binds, `it has less than ${words.length} matrices, and there are so many joints`);
  const inverseBinds = new Float32Array(words.length * 16);
  words.forEach((_, i) => {
    const own = matrices ? fromRows(matrices.values, i * 16) : mat4.create();
    inverseBinds.set(mat4.multiply(new Float64Array(16), own, bindShape), i * 16);
  });
  const influences = readInfluences(tree, sources, vertexWeights, positionCount, words.length);
  return { joints: words, areIds, inverseBinds, ...influences, element: skin };
}

function readInfluences(
  tree: DaeTree,
  sources: DaeSources,
  element: XmlElement,
  positionCount: number,
  jointCount: number,
): Pick<DaeSkin, 'starts' | 'slots' | 'weights'> {
  const inputs = inputsOf(tree, element);
  const joint = inputs.find(({ semantic }) => semantic === 'JOINT');
  const weight = inputs.find(({ semantic }) => semantic === 'WEIGHT');
  const [vcount, v] = [find(element, 'vcount'), find(element, 'v')];
  if (!joint || !weight || !vcount) throw damaged(element, 'joints, weights or their counts are missing');
  const table = sources.numbers(weight.source).values;
  const stride = inputs.reduce((most, { offset }) => Math.max(most, offset + 1), 1);
  const counts = wholeNumbersOf(vcount.bytes, () => placeOf(vcount));
  const indices = v ? wholeNumbersOf(v.bytes, () => placeOf(v)) : new Int32Array(0);
  if (counts.length < positionCount)
    throw damaged(vcount, `it counts for ${counts.length} vertices, and the mesh has ${positionCount}`);
  const starts = new Uint32Array(positionCount + 1);
  for (let p = 0; p < positionCount; p++) {
    if (counts[p] < 0) throw damaged(vcount, 'a vertex has less than no influences');
    starts[p + 1] = starts[p] + counts[p];
  }
  const total = starts[positionCount];
  if (total * stride > indices.length)
    throw damaged(
      v ?? element,
      `${total} influences are counted, and ${Math.floor(indices.length / stride)} are there`,
    );
  const slots = new Uint16Array(total);
  const weights = new Float32Array(total);
  const [jointAt, weightAt] = [joint.offset, weight.offset];
  for (let i = 0; i < total; i++) {
    const slot = indices[i * stride + jointAt];
    const at = indices[i * stride + weightAt];
    if (slot >= jointCount || slot < -1)
      throw damaged(element, `an influence is of joint ${slot}, and there are ${jointCount}`);
    if (at < 0 || at >= table.length)
      throw damaged(element, `weight ${at} does not exist (there are ${table.length})`);
    // Joint −1 is the shape as it was bound: such a share follows nothing.
    slots[i] = Math.max(0, slot);
    weights[i] = slot < 0 ? 0 : table[at];
  }
  return { starts, slots, weights };
}

export interface DaeMorph {
  readonly isRelative: boolean;
  /** Ids of geometries. */
  readonly targets: readonly string[];
  readonly weights: readonly number[];
}

/** Reads a `<morph>`: shapes of the same positions. */
export function readMorph(tree: DaeTree, morph: XmlElement): DaeMorph {
  const targets = find(morph, 'targets');
  const inputs = targets ? inputsOf(tree, targets) : [];
  const source = inputNamed(inputs, 'MORPH_TARGET');
  const weights = inputNamed(inputs, 'MORPH_WEIGHT');
  const array = find(weights, 'float_array');
  return {
    isRelative: morph.attributes.method === 'RELATIVE',
    targets: source ? wordsOfSource(source).words : [],
    weights: array ? [...numbersOf(array.bytes, () => placeOf(array))] : [],
  };
}
