import { CoreError } from '../../errors.ts';
import { numbersOf } from '../numbers.ts';
import { readXmlTree, type XmlElement } from '../xml/xmlTree.ts';

const LISTS = new Set(['float_array', 'int_array', 'p', 'v', 'vcount']);
const LIMITS = {
  what: 'COLLADA file',
  maxBytes: 256 * 1024 * 1024,
  maxElements: 500_000,
  keepsText: (): boolean => true,
  isList: (name: string): boolean => LISTS.has(name),
};

/** A COLLADA file (Khronos, “COLLADA – Digital Asset Schema Release 1.4.1”, 2008): its elements, and who bears which id. */
export class DaeTree {
  readonly root: XmlElement;
  readonly #byId = new Map<string, XmlElement>();

  /** @throws CoreError file-… */
  constructor(bytes: Uint8Array) {
    this.root = readXmlTree(bytes, LIMITS);
    if (this.root.name !== 'COLLADA')
      throw new CoreError('file-invalid', 'This XML file is no COLLADA: its root is not “COLLADA”.');
    const version = this.root.attributes.version ?? '';
    if (!/^1\.[45]/.test(version))
      throw new CoreError(
        'file-version',
        `The file is COLLADA version ${version || 'unknown'}; 1.4 or 1.5 is needed.`,
        { version },
      );
    const stack = [this.root];
    for (let element = stack.pop(); element; element = stack.pop()) {
      const { id } = element.attributes;
      if (id !== undefined && !this.#byId.has(id)) this.#byId.set(id, element);
      for (let i = element.children.length - 1; i >= 0; i--) stack.push(element.children[i]);
    }
  }

  /** Metres a unit of the file. */
  get unit(): number {
    const text = find(this.root, 'asset', 'unit')?.attributes.meter ?? '1';
    const meter = Number(text.replace(',', '.'));
    if (!(meter > 0) || !Number.isFinite(meter))
      throw new CoreError(
        'file-invalid',
        `The file's unit is “${text.slice(0, 30)}” metres, which is no length.`,
        {
          where: 'asset/unit',
        },
      );
    return meter;
  }

  get up(): 'X' | 'Y' | 'Z' {
    const text = find(this.root, 'asset', 'up_axis')?.text.trim() ?? 'Y_UP';
    return text === 'Z_UP' ? 'Z' : text === 'X_UP' ? 'X' : 'Y';
  }

  /** All elements of a name in libraries of another name. */
  library(library: string, name: string): XmlElement[] {
    return all(this.root, library).flatMap((each) => all(each, name));
  }

  /** What a `#name` points at; undefined where there is nothing of that name. */
  target(url: string | undefined): XmlElement | undefined {
    const id = url?.replace(/^.*#/, '');
    return id === undefined ? undefined : (this.#byId.get(id) ?? this.#byId.get(decoded(id)));
  }

  /** @throws CoreError file-invalid where there is nothing of that name */
  need(url: string | undefined, by: XmlElement): XmlElement {
    const found = this.target(url);
    if (found) return found;
    const where = placeOf(by);
    throw new CoreError('file-invalid', `“${url ?? ''}” is named at ${where}, but nothing has this id.`, {
      where,
    });
  }
}

function decoded(id: string): string {
  try {
    return decodeURIComponent(id);
  } catch {
    return id;
  }
}

/** The first child of a name, and so on downwards. */
export function find(element: XmlElement | undefined, ...names: string[]): XmlElement | undefined {
  let found = element;
  for (const name of names) found = found?.children.find((child) => child.name === name);
  return found;
}

export const all = (element: XmlElement | undefined, name: string): XmlElement[] =>
  element?.children.filter((child) => child.name === name) ?? [];

/** Where an element stands, for messages. */
export function placeOf({ name, attributes, line }: XmlElement): string {
  const own = attributes.id ?? attributes.name ?? attributes.sid ?? attributes.semantic;
  return `<${name}${own ? ` “${own.slice(0, 60)}”` : ''}>, line ${line}`;
}

export function damaged(element: XmlElement, why: string): CoreError {
  const where = placeOf(element);
  return new CoreError('file-invalid', `The file is damaged at ${where}: ${why}.`, { where });
}

/** So many numbers as an element's text should have. */
export function exactNumbers(element: XmlElement, count: number): Float64Array {
  const numbers = numbersOf(element.bytes, () => placeOf(element));
  if (numbers.length < count)
    throw damaged(element, `it has ${numbers.length} numbers, and ${count} are needed`);
  return numbers;
}
