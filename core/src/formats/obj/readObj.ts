import { CoreError } from '../../errors.ts';
import type { Vec3 } from '../../math/vector.ts';
import type { GltfContainer } from '../gltf/container.ts';
import { type Beside, NewGltf } from '../gltf/NewGltf.ts';
import { triangulate } from '../polygonTriangles.ts';
import { decodeAnyText } from '../text.ts';
import { gatherRows, GrowingIndices, VertexTable } from '../vertexTable.ts';
import { readMtl } from './readMtl.ts';

const MAX_LINES = 20_000_000;
const MAX_VERTICES = 4_000_000;

/** Whether a text begins like an `.obj` file: with a place, a face, a group, or a library of materials. */
export const looksLikeObj = (start: string): boolean =>
  /^(?:\s*(?:#.*)?\r?\n)*\s*(?:v\s+[-+.\d]|vn\s|vt\s|f\s+\d|g\s|o\s|mtllib\s|usemtl\s|s\s+(?:off|\d))/.test(
    start,
  );

/** Faces of one object and one material. */
interface Group {
  readonly name: string;
  readonly material: string;
  /** Three a corner: numbers of its place, coordinate and normal, −1 for none. */
  readonly corners: number[];
  /** How many corners each face has, and its line. */
  readonly faces: { readonly size: number; readonly line: number }[];
}

/**
 * A `.obj` file (Wavefront's format, as the trade writes it: places, coordinates, normals, faces, objects, groups, materials)
 * as the glTF file that a character is kept in: its shape, without a skeleton. A unit is taken for a metre, y for up.
 *
 * @throws CoreError file-… with the line
 */
export function readObj(bytes: Uint8Array, beside: Beside = () => undefined): GltfContainer {
  const notes: string[] = [];
  const { tables, groups, libraries } = new ObjReader(decodeAnyText(bytes)).read();
  const faces = groups.reduce((sum, group) => sum + group.faces.length, 0);
  if (faces === 0)
    throw new CoreError('file-no-mesh', 'There is no face in the .obj file, so there is nothing to paint.');
  const gltf = new NewGltf(beside, notes);
  const materials = new Map<string, number>();
  for (const name of libraries) {
    const library = beside(name);
    if (!library) notes.push(`The materials “${name.slice(-80)}” are not beside the file and are left out.`);
    else for (const material of readMtl(library)) materials.set(material.name, gltf.material(material));
  }
  const byName = new Map<string, Group[]>();
  for (const group of groups)
    if (group.faces.length > 0) byName.set(group.name, [...(byName.get(group.name) ?? []), group]);
  for (const [name, own] of byName) {
    const primitives = own.map((group) => gltf.primitive(primitiveOf(group, tables, materials)));
    gltf.nodes.push({ name, mesh: gltf.meshes.push({ name, primitives }) - 1 });
  }
  return gltf.finish(gltf.nodes.map((_, i) => i));
}

interface Tables {
  /** 3 each. */
  readonly places: Numbers;
  /** 3 each, where every place has one. */
  readonly colours: Numbers;
  readonly coordinates: Numbers;
  readonly normals: Numbers;
}

/** Numbers that grow. */
class Numbers {
  values = new Float32Array(1024);
  length = 0;

  push(value: number): void {
    if (this.length === this.values.length) {
      const grown = new Float32Array(this.length * 2);
      grown.set(this.values);
      this.values = grown;
    }
    this.values[this.length++] = value;
  }
}

class ObjReader {
  readonly #text: string;
  readonly #tables: Tables = {
    places: new Numbers(),
    colours: new Numbers(),
    coordinates: new Numbers(),
    normals: new Numbers(),
  };
  readonly #groups = new Map<string, Group>();
  readonly #libraries = new Set<string>();
  #name = 'mesh';
  #material = '';
  #line = 0;

  constructor(text: string) {
    // A line that ends in a backslash goes on in the next.
    this.#text = text.includes('\\') ? text.replace(/\\\r?\n/g, ' ') : text;
  }

  read(): { tables: Tables; groups: Group[]; libraries: Set<string> } {
    const text = this.#text;
    for (let from = 0; from < text.length;) {
      let to = text.indexOf('\n', from);
      if (to < 0) to = text.length;
      if (++this.#line > MAX_LINES)
        throw new CoreError('file-too-large', 'The .obj file has too many lines.');
      this.#take(text.slice(from, to).trim());
      from = to + 1;
    }
    return { tables: this.#tables, groups: [...this.#groups.values()], libraries: this.#libraries };
  }

  #take(line: string): void {
    const { places, colours, coordinates, normals } = this.#tables;
    const space = line.search(/\s/);
    const word = space < 0 ? line : line.slice(0, space);
    const rest = space < 0 ? '' : line.slice(space + 1).trim();
    if (word === 'v') this.#takePlace(rest, places, colours);
    else if (word === 'vt') this.#takeNumbers(rest, coordinates, 1, 2);
    else if (word === 'vn') this.#takeNumbers(rest, normals, 3, 3);
    else if (word === 'f' || word === 'fo') this.#takeFace(rest);
    else if (word === 'o' || word === 'g') this.#name = rest || 'mesh';
    else if (word === 'usemtl') this.#material = rest;
    else if (word === 'mtllib') this.#libraries.add(rest.replace(/\\/g, '/').replace(/^\.\//, ''));
    else if (word === 'curv' || word === 'surf')
      throw this.#wrong('it holds a curved surface, which is not read: save it as faces');
  }

  #takePlace(rest: string, places: Numbers, colours: Numbers): void {
    const words = rest.split(/\s+/);
    const numbers = words.map(Number);
    if (words.length < 3 || numbers.some((x) => !Number.isFinite(Math.fround(x))))
      throw this.#wrong(`“${rest.slice(0, 40)}” is no place`);
    // The fourth of four is a weight of rational curves: all but a few write 1.
    const w = numbers.length === 4 && numbers[3] !== 0 ? numbers[3] : 1;
    for (let k = 0; k < 3; k++) places.push(numbers[k] / w);
    for (let k = 0; k < 3; k++) if (numbers.length >= 6) colours.push(numbers[numbers.length - 3 + k]);
  }

  #takeNumbers(rest: string, into: Numbers, least: number, width: number): void {
    const words = rest.split(/\s+/);
    for (let k = 0; k < width; k++) {
      const value = k >= words.length && k >= least ? 0 : Number(words[k]);
      if (!Number.isFinite(value)) throw this.#wrong(`“${rest.slice(0, 40)}” are no numbers`);
      into.push(value);
    }
  }

  #takeFace(rest: string): void {
    const corners = rest.split(/\s+/);
    if (corners.length < 3) throw this.#wrong(`a face has three corners or more, not “${rest.slice(0, 40)}”`);
    const { places, coordinates, normals } = this.#tables;
    const group = this.#group();
    for (const corner of corners) {
      const [place, coordinate = '', normal = ''] = corner.split('/');
      group.corners.push(
        this.#index(place, places.length / 3, 'place', corner),
        coordinate !== '' ? this.#index(coordinate, coordinates.length / 2, 'coordinate', corner) : -1,
        normal !== '' ? this.#index(normal, normals.length / 3, 'normal', corner) : -1,
      );
    }
    group.faces.push({ size: corners.length, line: this.#line });
  }

  /** Counted from one, or backwards from the newest. */
  #index(word: string, count: number, what: string, corner: string): number {
    const number = Number(word);
    if (!Number.isInteger(number) || number === 0) throw this.#wrong(`“${corner.slice(0, 40)}” is no corner`);
    const index = number > 0 ? number - 1 : count + number;
    if (index < 0 || index >= count)
      throw this.#wrong(`a face names ${what} ${number}, and there are ${count} above it`);
    return index;
  }

  #group(): Group {
    const key = `${this.#name}\n${this.#material}`;
    let group = this.#groups.get(key);
    if (!group) {
      group = { name: this.#name, material: this.#material, corners: [], faces: [] };
      this.#groups.set(key, group);
    }
    return group;
  }

  #wrong(why: string): CoreError {
    const where = `line ${this.#line}`;
    return new CoreError('file-invalid', `The .obj file cannot be read in ${where}: ${why}.`, { where });
  }
}

function primitiveOf(group: Group, tables: Tables, materials: ReadonlyMap<string, number>) {
  const { places, colours, coordinates, normals } = tables;
  const table = new VertexTable(3, places.length / 3);
  const corners = Int32Array.from(group.corners);
  const triangles = new GrowingIndices();
  const placeOf = (vertex: number): Vec3 => {
    const at = table.first(vertex) * 3;
    return [places.values[at], places.values[at + 1], places.values[at + 2]];
  };
  let at = 0;
  for (const { size, line } of group.faces) {
    const vertices = Array.from({ length: size }, (_, k) => table.vertexAt(corners, (at + k) * 3));
    at += size;
    triangulate(vertices, placeOf, (a, b, c) => triangles.add([a, b, c]));
    if (table.count > MAX_VERTICES)
      throw new CoreError('file-too-large', 'The file has more than 4,000,000 vertices, which is too many.', {
        where: `line ${line}`,
      });
  }
  const numbers = table.settle();
  const [own, coordinate, normal] = [0, 1, 2].map((k) => table.column(k));
  const uv = coordinate.some((i) => i >= 0) ? gatherRows(coordinates.values, 2, coordinate) : undefined;
  for (let i = 1; uv && i < uv.length; i += 2) uv[i] = 1 - uv[i];
  const material = materials.get(group.material);
  return {
    positions: gatherRows(places.values, 3, own),
    ...(normal.some((i) => i >= 0) && { normals: gatherRows(normals.values, 3, normal) }),
    ...(uv && { coordinates: [uv] }),
    ...(colours.length === places.length && { colours: opaque(gatherRows(colours.values, 3, own, 4)) }),
    triangles: triangles.all(numbers),
    ...(material !== undefined && { material }),
  };
}

/** Colours within their range, all there. */
function opaque(colours: Float32Array): Float32Array {
  return colours.map((share, i) => (i % 4 === 3 ? 1 : Math.min(1, Math.max(0, share))));
}
