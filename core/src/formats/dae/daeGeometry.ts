import { CoreError } from '../../errors.ts';
import type { Vec3 } from '../../math/vector.ts';
import { wholeNumbersOf } from '../numbers.ts';
import { triangulate } from '../polygonTriangles.ts';
import { gatherRows, GrowingIndices, VertexTable } from '../vertexTable.ts';
import type { XmlElement } from '../xml/xmlTree.ts';
import { type DaeInput, type DaeSource, type DaeSources, inputNamed, inputsOf } from './daeSources.ts';
import { all, damaged, find, placeOf, type DaeTree } from './daeTree.ts';

export interface DaePrimitive {
  /** The symbol by which an instance binds a material; empty for none. */
  readonly material: string;
  /** Int32Array: vertex → number of its position in the file. */
  readonly positionOf: Int32Array;
  readonly positions: Float32Array;
  readonly normals?: Float32Array;
  /** Sets of texture coordinates, 2 a vertex, from the upper left corner as glTF has them. */
  readonly coordinates: readonly Float32Array[];
  /** 4 a vertex. */
  readonly colours?: Float32Array;
  readonly triangles: Uint32Array;
}

export interface DaeMesh {
  readonly name: string;
  readonly positions: DaeSource;
  readonly primitives: readonly DaePrimitive[];
}

const MAX_VERTICES = 4_000_000;
const FACES = new Set(['triangles', 'polylist', 'polygons', 'trifans', 'tristrips']);

/**
 * A `<geometry>` as meshes of triangles.
 * @param notes told what is left out
 * @throws CoreError file-invalid with the place, file-too-large
 */
export function readGeometry(
  tree: DaeTree,
  sources: DaeSources,
  geometry: XmlElement,
  notes: string[],
): DaeMesh | undefined {
  const name = geometry.attributes.name ?? geometry.attributes.id ?? 'mesh';
  const mesh = find(geometry, 'mesh');
  if (!mesh) {
    const what = find(geometry, 'spline') ? 'made of splines' : 'not made of faces';
    notes.push(`“${name}” is ${what} and is left out.`);
    return undefined;
  }
  const vertices = find(mesh, 'vertices');
  const shared = vertices ? inputsOf(tree, vertices) : [];
  const position = inputNamed(shared, 'POSITION');
  const elements = mesh.children.filter((child) => FACES.has(child.name));
  if (mesh.children.some((child) => /^lines|^linestrips/.test(child.name)))
    notes.push(`Lines of “${name}” are left out.`);
  if (!vertices || !position) {
    if (elements.length === 0) return undefined;
    throw damaged(mesh, 'its vertices have no positions');
  }
  const positions = sources.numbers(position);
  if (positions.width < 3) throw damaged(position, 'a position has three numbers');
  const primitives = elements.flatMap((element) => {
    const read = new PrimitiveReader(tree, sources, element, shared, positions).read();
    return read.triangles.length === 0 ? [] : [read];
  });
  if (elements.some((element) => find(element, 'ph'))) notes.push(`Holes in faces of “${name}” are filled.`);
  return primitives.length === 0 ? undefined : { name, positions, primitives };
}

class PrimitiveReader {
  readonly #element: XmlElement;
  readonly #columns: readonly Column[];
  /** Numbers a corner. */
  readonly #stride: number;
  /** Where the indices that tell vertices apart stand among a corner's numbers; that of the position first. */
  readonly #offsets: readonly number[];
  readonly #positions: DaeSource;
  readonly #table: VertexTable;
  readonly #triangles = new GrowingIndices();

  constructor(
    tree: DaeTree,
    sources: DaeSources,
    element: XmlElement,
    shared: readonly DaeInput[],
    positions: DaeSource,
  ) {
    this.#element = element;
    this.#positions = positions;
    const inputs = inputsOf(tree, element);
    const vertex = inputs.find(({ semantic }) => semantic === 'VERTEX');
    if (!vertex && inputs.length > 0) throw damaged(element, 'none of its inputs is that of the vertices');
    const offset = vertex?.offset ?? 0;
    // What the vertices share goes by the index of the position.
    const own = shared.map((input) => ({ ...input, offset }));
    const used = [...own, ...inputs.filter((input) => input !== vertex)].filter(({ semantic }) =>
      ['POSITION', 'NORMAL', 'TEXCOORD', 'COLOR'].includes(semantic),
    );
    this.#offsets = [...new Set([offset, ...used.map((input) => input.offset)])];
    this.#columns = used.map((input) => ({
      semantic: input.semantic,
      index: this.#offsets.indexOf(input.offset),
      source: sources.numbers(input.source),
    }));
    this.#stride = inputs.reduce((most, input) => Math.max(most, input.offset + 1), 1);
    this.#table = new VertexTable(this.#offsets.length, positions.count);
  }

  read(): DaePrimitive {
    const { name } = this.#element;
    const lists = all(this.#element, 'p').concat(all(this.#element, 'ph').flatMap((ph) => all(ph, 'p')));
    const counts = name === 'polylist' ? this.#vcount() : undefined;
    for (const p of lists) {
      const vertices = this.#vertices(p);
      if (name === 'triangles')
        this.#triangles.add(vertices.subarray(0, vertices.length - (vertices.length % 3)));
      else if (counts) this.#cutAll(vertices, counts);
      else this.#cut(Array.from(vertices), name);
    }
    const table = this.#table;
    const triangles = this.#triangles.all(table.settle());
    const gather = (semantic: string, width: number): Float32Array[] =>
      this.#columns.flatMap(({ semantic: own, index, source }) =>
        own === semantic ? [gatherRows(source.values, source.width, table.column(index), width)] : [],
      );
    const coordinates = gather('TEXCOORD', 2);
    for (const set of coordinates) for (let i = 1; i < set.length; i += 2) set[i] = 1 - set[i];
    return {
      material: this.#element.attributes.material ?? '',
      positionOf: table.column(0),
      positions: gather('POSITION', 3)[0],
      normals: gather('NORMAL', 3).at(0),
      coordinates,
      colours: this.#colours(),
      triangles,
    };
  }

  #cutAll(vertices: Int32Array, counts: Int32Array): void {
    let at = 0;
    for (const size of counts) {
      if (at + size > vertices.length)
        throw damaged(
          this.#element,
          `its ${counts.length} faces need more corners than the ${vertices.length} in it`,
        );
      if (size === 3) this.#triangles.add(vertices.subarray(at, at + 3));
      else this.#cut(Array.from(vertices.subarray(at, at + size)), 'polygon');
      at += size;
    }
  }

  #vcount(): Int32Array {
    const vcount = find(this.#element, 'vcount');
    if (!vcount) throw damaged(this.#element, 'it does not say how many corners its faces have');
    const counts = wholeNumbersOf(vcount.bytes, () => placeOf(vcount));
    if (counts.some((count) => count < 0)) throw damaged(vcount, 'a face has less than no corners');
    return counts;
  }

  #vertices(p: XmlElement): Int32Array {
    const numbers = wholeNumbersOf(p.bytes, () => placeOf(p));
    this.#checkIndices(p, numbers);
    const [stride, width, offsets, table] = [this.#stride, this.#offsets.length, this.#offsets, this.#table];
    const corners = Math.floor(numbers.length / stride);
    const indices = new Int32Array(width);
    const vertices = new Int32Array(corners);
    if (offsets.every((offset, k) => offset === k))
      for (let i = 0; i < corners; i++) vertices[i] = table.vertexAt(numbers, i * stride);
    else
      for (let i = 0; i < corners; i++) {
        for (let k = 0; k < width; k++) indices[k] = numbers[i * stride + offsets[k]];
        vertices[i] = table.vertexAt(indices, 0);
      }
    if (table.count > MAX_VERTICES)
      throw new CoreError('file-too-large', 'The file has more than 4,000,000 vertices, which is too many.', {
        where: placeOf(p),
      });
    return vertices;
  }

  #checkIndices(p: XmlElement, numbers: Int32Array): void {
    for (const { semantic, index, source } of this.#columns)
      for (let i = this.#offsets[index]; i < numbers.length; i += this.#stride)
        if (numbers[i] < 0 || numbers[i] >= source.count)
          throw damaged(
            p,
            `${semantic.toLowerCase()} ${numbers[i]} does not exist (there are ${source.count})`,
          );
  }

  #cut(corners: number[], kind: string): void {
    const put = (a: number, b: number, c: number): void => this.#triangles.add([a, b, c]);
    if (corners.length < 3) return;
    if (kind === 'trifans')
      for (let k = 2; k < corners.length; k++) put(corners[0], corners[k - 1], corners[k]);
    else if (kind === 'tristrips')
      for (let k = 2; k < corners.length; k++)
        put(corners[k - 2 + (k & 1)], corners[k - 1 - (k & 1)], corners[k]);
    else triangulate(corners, (vertex) => this.#placeOf(vertex), put);
  }

  #placeOf(vertex: number): Vec3 {
    const { values, width } = this.#positions;
    const at = this.#table.first(vertex) * width;
    return [values[at], values[at + 1], values[at + 2]];
  }

  #colours(): Float32Array | undefined {
    const column = this.#columns.find(({ semantic }) => semantic === 'COLOR');
    if (!column) return undefined;
    const { source, index } = column;
    const colours = gatherRows(source.values, source.width, this.#table.column(index), 4);
    if (source.width < 4) for (let i = 3; i < colours.length; i += 4) colours[i] = 1;
    return colours.map((share) => Math.min(1, Math.max(0, share)));
  }
}

interface Column {
  readonly semantic: string;
  /** Which of a vertex's indices it goes by. */
  readonly index: number;
  readonly source: DaeSource;
}
