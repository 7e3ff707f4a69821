import type { XmlElement } from '../xml/xmlTree.ts';
import { maxNumbers, parseNumbers } from '../numbers.ts';
import { all, damaged, find, placeOf, type DaeTree } from './daeTree.ts';

/** The numbers of a `<source>`, element behind element. */
export interface DaeSource {
  readonly count: number;
  /** Numbers an element. */
  readonly width: number;
  readonly values: Float32Array;
}

/** An `<input>`: what it gives, where its index stands among the others', and which set it is. */
export interface DaeInput {
  readonly semantic: string;
  readonly offset: number;
  readonly set: number;
  readonly source: XmlElement;
}

export function inputsOf(tree: DaeTree, element: XmlElement): DaeInput[] {
  return all(element, 'input').map((input) => ({
    semantic: input.attributes.semantic ?? '',
    offset: wholeNumber(input, 'offset'),
    set: wholeNumber(input, 'set'),
    source: tree.need(input.attributes.source, input),
  }));
}

export function inputNamed(inputs: readonly DaeInput[], semantic: string): XmlElement | undefined {
  return inputs.find((input) => input.semantic === semantic)?.source;
}

/** A whole number of an attribute; 0 where there is none. */
export function wholeNumber(element: XmlElement, name: string): number {
  const text = element.attributes[name];
  if (text === undefined) return 0;
  const value = Number(text);
  if (!Number.isInteger(value) || value < 0 || value > 2 ** 31)
    throw damaged(element, `its ${name} “${text.slice(0, 30)}” is no whole number`);
  return value;
}

/** Reads each `<source>` of numbers once. */
export class DaeSources {
  readonly #read = new Map<XmlElement, DaeSource>();

  numbers(source: XmlElement): DaeSource {
    const known = this.#read.get(source);
    if (known) return known;
    const read = readSource(source);
    this.#read.set(source, read);
    return read;
  }
}

function readSource(source: XmlElement): DaeSource {
  const array = find(source, 'float_array') ?? find(source, 'int_array');
  if (!array) throw damaged(source, 'it has no numbers');
  const accessor = find(source, 'technique_common', 'accessor');
  const held = numbersOfArray(array);
  if (!accessor) return { count: held.length, width: 1, values: held };
  const [count, offset] = [wholeNumber(accessor, 'count'), wholeNumber(accessor, 'offset')];
  const params = all(accessor, 'param');
  const stride = accessor.attributes.stride === undefined ? 1 : wholeNumber(accessor, 'stride');
  // A parameter without a name is stepped over (COLLADA 1.4.1, “accessor”), unless none has one.
  const named = params.flatMap(({ attributes }, i) => (attributes.name ? [i] : []));
  const isMatrix = params.length === 1 && params[0].attributes.type === 'float4x4';
  const slots = isMatrix || named.length === 0 ? [...Array(stride).keys()] : named;
  const width = slots.length;
  if (stride < 1 || slots.some((slot) => slot >= stride)) throw damaged(accessor, `its stride is ${stride}`);
  if (count > 0 && offset + (count - 1) * stride + slots[width - 1] >= held.length)
    throw damaged(accessor, `it reaches past the ${held.length} numbers that are there`);
  if (offset === 0 && width === stride) return { count, width, values: held.subarray(0, count * width) };
  const values = new Float32Array(count * width);
  for (let i = 0; i < count; i++)
    for (let k = 0; k < width; k++) values[i * width + k] = held[offset + i * stride + slots[k]];
  return { count, width, values };
}

function numbersOfArray(array: XmlElement): Float32Array {
  const announced = array.attributes.count === undefined ? -1 : wholeNumber(array, 'count');
  // No more room than the text could fill, whatever it says of itself.
  const values = new Float32Array(
    announced < 0 ? maxNumbers(array.bytes) : Math.min(announced, maxNumbers(array.bytes)),
  );
  const found = parseNumbers(array.bytes, values, () => placeOf(array));
  if (found < announced) throw damaged(array, `it announces ${announced} numbers, and ${found} are there`);
  return values.subarray(0, Math.min(found, values.length));
}

/** The words of a `<source>`: names, or ids. */
export function wordsOfSource(source: XmlElement): { words: string[]; areIds: boolean } {
  const ids = find(source, 'IDREF_array');
  const array = ids ?? find(source, 'Name_array') ?? find(source, 'SIDREF_array');
  if (!array) throw damaged(source, 'it has no names');
  return { words: array.text.split(/\s+/).filter((word) => word !== ''), areIds: ids !== undefined };
}
