import type { Accessor, Document } from '@gltf-transform/core';
import { mat4 } from 'gl-matrix';
import { arrayOf } from '../gltf/accessorArray.ts';
import type { GltfContainer } from '../gltf/container.ts';
import type { GltfJson, GltfNode, GltfPrimitive } from '../gltf/gltfJson.ts';
import { localMatrix } from '../gltf/nodePlaces.ts';
import { decodeGltf, type Decoders } from '../gltf/readCharacter.ts';
import { daeMaterials } from './daeMaterialText.ts';
import { daeMotions } from './daeMotionText.ts';
import { singlesText } from './numberText.ts';
import { element, escaped, XmlIds } from './xmlText.ts';

export interface DaeOptions {
  /** Written as the day it was made. */
  readonly at?: Date;
}

/** A COLLADA file, and the pictures that lie beside it. */
export interface DaeFiles {
  readonly text: string;
  readonly pictures: ReadonlyMap<string, Uint8Array>;
}

/**
 * A character's glTF file as COLLADA 1.4.1: meshes, skins, shapes, nodes, plain materials with their pictures, and motions.
 * Numbers are written so that they are read back to the bit. What cannot go along is told by `lossesInDae`.
 *
 * @throws CoreError file-… where the file cannot be decoded
 */
export async function writeDae(
  container: GltfContainer,
  decoders: Decoders = {},
  { at = new Date(0) }: DaeOptions = {},
): Promise<DaeFiles> {
  const document = await decodeGltf(container, decoders);
  return new DaeWriter(container, document).write(at.toISOString().slice(0, 19) + 'Z');
}

/** Written one after the other, so that a reader meets what is named before it is named. */
class DaeWriter {
  readonly #container: GltfContainer;
  readonly #json: GltfJson;
  readonly #accessors: readonly Accessor[];
  readonly #ids = new XmlIds();
  readonly #nodeIds: readonly string[];
  readonly #meshIds: readonly string[];

  constructor(container: GltfContainer, document: Document) {
    this.#container = container;
    this.#json = container.json;
    this.#accessors = document.getRoot().listAccessors();
    this.#nodeIds = (this.#json.nodes ?? []).map(({ name }, i) => this.#ids.id(name ?? `node ${i}`));
    this.#meshIds = (this.#json.meshes ?? []).map(({ name }, i) =>
      this.#ids.id(`${name ?? `mesh ${i}`}-mesh`),
    );
  }

  write(day: string): DaeFiles {
    const materials = daeMaterials(this.#container, this.#ids);
    const geometries = (this.#json.meshes ?? []).map((_, m) => this.#geometry(m));
    const motions = daeMotions(this.#json, this.#accessors, this.#nodeIds, this.#ids);
    const library = (name: string, inside: readonly string[]): string =>
      inside.length === 0 ? '' : element(`library_${name}`, {}, inside);
    const text = element(
      'COLLADA',
      { xmlns: 'http://www.collada.org/2005/11/COLLADASchema', version: '1.4.1' },
      element(
        'asset',
        {},
        element('contributor', {}, element('authoring_tool', {}, 'Judoka')),
        element('created', {}, day),
        element('modified', {}, day),
        element('unit', { name: 'meter', meter: 1 }),
        element('up_axis', {}, 'Y_UP'),
      ),
      library('images', materials.images),
      library('effects', materials.effects),
      library('materials', materials.materials),
      library('geometries', geometries.flat()),
      library('controllers', this.#controllers()),
      library('animations', motions.animations),
      library('animation_clips', motions.clips),
      library('visual_scenes', [this.#scene(materials.ids)]),
      element('scene', {}, element('instance_visual_scene', { url: '#scene' })),
    );
    return { text: `<?xml version="1.0" encoding="utf-8"?>\n${text}`, pictures: materials.pictures };
  }

  /** A mesh's vertices, all primitives one after the other; and each of its shapes as a geometry of its own. */
  #geometry(m: number): string[] {
    const mesh = (this.#json.meshes ?? [])[m];
    const id = this.#meshIds[m];
    const primitives = facesOf(mesh.primitives);
    if (primitives.length === 0) return [];
    const positions = this.#join(primitives, 'POSITION', 3);
    const inputs: string[] = [];
    const sources = [source(`${id}-positions`, positions, ['X', 'Y', 'Z'])];
    const add = (semantic: string, name: string, width: number, params: string[], set?: number): void => {
      if (!primitives.some(({ attributes }) => name in attributes)) return;
      const values = this.#join(primitives, name, width);
      if (semantic === 'TEXCOORD') for (let i = 1; i < values.length; i += 2) values[i] = 1 - values[i];
      const own = `${id}-${name.toLowerCase()}`;
      sources.push(source(own, values, params));
      inputs.push(element('input', { semantic, source: `#${own}`, offset: 0, set }));
    };
    add('NORMAL', 'NORMAL', 3, ['X', 'Y', 'Z']);
    for (let set = 0; set < 8; set++) add('TEXCOORD', `TEXCOORD_${set}`, 2, ['S', 'T'], set);
    add('COLOR', 'COLOR_0', 4, ['R', 'G', 'B', 'A'], 0);
    const name = mesh.name ?? id;
    const own = [sources, verticesText(id), this.#faces(id, primitives, inputs)];
    return [element('geometry', { id, name }, element('mesh', {}, ...own)), ...this.#shapes(m, positions)];
  }

  #faces(id: string, primitives: readonly GltfPrimitive[], inputs: readonly string[]): string[] {
    let from = 0;
    return primitives.map((primitive) => {
      const indices = this.#indices(primitive, from);
      from += this.#accessors[primitive.attributes.POSITION].getCount();
      const material = primitive.material === undefined ? undefined : `material${primitive.material}`;
      return element(
        'triangles',
        { count: indices.length / 3, material },
        element('input', { semantic: 'VERTEX', source: `#${id}-vertices`, offset: 0 }),
        inputs,
        element('p', {}, indices.join(' ')),
      );
    });
  }

  /** @param rest positions of all of the mesh's vertices */
  #shapes(m: number, rest: Float32Array): string[] {
    const mesh = (this.#json.meshes ?? [])[m] as Shaped;
    const primitives = facesOf(mesh.primitives);
    return shapeNames(mesh).map((name, shape) => {
      const moved = rest.slice();
      let from = 0;
      for (const { attributes, targets } of primitives) {
        const moves = targets?.[shape]?.POSITION;
        const values = moves === undefined ? undefined : this.#values(moves, 3);
        values?.forEach((x, i) => (moved[from * 3 + i] += x));
        from += this.#accessors[attributes.POSITION].getCount();
      }
      const id = `${this.#meshIds[m]}-shape${shape}`;
      const own = [
        source(`${id}-positions`, moved, ['X', 'Y', 'Z']),
        verticesText(id),
        this.#faces(id, primitives, []),
      ];
      return element('geometry', { id, name }, element('mesh', {}, ...own));
    });
  }

  /** Of each mesh with shapes a morph; of each pair of mesh and skin a skin. */
  #controllers(): string[] {
    const morphs = (this.#json.meshes ?? []).flatMap((mesh, m) => this.#morph(mesh as Shaped, m));
    const skins = (this.#json.nodes ?? []).flatMap((node, n) =>
      node.mesh === undefined || node.skin === undefined ? [] : this.#skin(n, node.mesh, node.skin),
    );
    return [...morphs, ...skins];
  }

  #morph(mesh: Shaped, m: number): string[] {
    const names = shapeNames(mesh);
    if (names.length === 0 || facesOf(mesh.primitives).length === 0) return [];
    const id = `${this.#meshIds[m]}-morph`;
    const targets = names.map((_, shape) => `${this.#meshIds[m]}-shape${shape}`);
    const weights = Float32Array.from(names, (_, shape) => mesh.weights?.[shape] ?? 0);
    const morph = element(
      'morph',
      { source: `#${this.#meshIds[m]}`, method: 'NORMALIZED' },
      names.length === 0 ? '' : wordSource(`${id}-targets`, 'IDREF_array', 'MORPH_TARGET', targets),
      source(`${id}-weights`, weights, ['MORPH_WEIGHT']),
      element(
        'targets',
        {},
        element('input', { semantic: 'MORPH_TARGET', source: `#${id}-targets` }),
        element('input', { semantic: 'MORPH_WEIGHT', source: `#${id}-weights` }),
      ),
    );
    return [element('controller', { id }, morph)];
  }

  #skin(n: number, m: number, s: number): string[] {
    const mesh = (this.#json.meshes ?? [])[m] as Shaped;
    const skin = (this.#json.skins ?? [])[s];
    const primitives = facesOf(mesh.primitives);
    if (primitives.length === 0) return [];
    const id = `${this.#nodeIds[n]}-skin`;
    const binds =
      skin.inverseBindMatrices === undefined ? undefined : this.#values(skin.inverseBindMatrices, 16);
    const matrices = skin.joints.flatMap((_, slot) => rowsOf(binds ?? mat4.create(), binds ? slot * 16 : 0));
    const { counts, pairs, weights } = this.#influences(primitives);
    const of = shapeNames(mesh).length > 0 ? `${this.#meshIds[m]}-morph` : this.#meshIds[m];
    const text = element(
      'skin',
      { source: `#${of}` },
      element('bind_shape_matrix', {}, rowsOf(mat4.create(), 0).join(' ')),
      wordSource(
        `${id}-joints`,
        'Name_array',
        'JOINT',
        skin.joints.map((joint) => this.#nodeIds[joint]),
      ),
      source(`${id}-binds`, Float32Array.from(matrices), ['TRANSFORM'], 16),
      source(`${id}-weights`, weights, ['WEIGHT']),
      element(
        'joints',
        {},
        element('input', { semantic: 'JOINT', source: `#${id}-joints` }),
        element('input', { semantic: 'INV_BIND_MATRIX', source: `#${id}-binds` }),
      ),
      element(
        'vertex_weights',
        { count: counts.length },
        element('input', { semantic: 'JOINT', source: `#${id}-joints`, offset: 0 }),
        element('input', { semantic: 'WEIGHT', source: `#${id}-weights`, offset: 1 }),
        element('vcount', {}, counts.join(' ')),
        element('v', {}, pairs.join(' ')),
      ),
    );
    return [element('controller', { id }, text)];
  }

  /** Joints and weights of all vertices; each weight stands once in the list. */
  #influences(primitives: readonly GltfPrimitive[]): {
    counts: number[];
    pairs: number[];
    weights: Float32Array;
  } {
    const numbers = new Map<number, number>();
    const [counts, pairs]: [number[], number[]] = [[], []];
    for (const { attributes } of primitives) {
      const count = this.#accessors[attributes.POSITION].getCount();
      const sets: { joints: ArrayLike<number>; weights: Float32Array }[] = [];
      for (let set = 0; `JOINTS_${set}` in attributes && `WEIGHTS_${set}` in attributes; set++) {
        const weights = this.#values(attributes[`WEIGHTS_${set}`], 4);
        sets.push({ joints: arrayOf(this.#accessors[attributes[`JOINTS_${set}`]]) ?? weights, weights });
      }
      for (let v = 0; v < count; v++) {
        let own = 0;
        for (const { joints, weights } of sets)
          for (let k = v * 4; k < v * 4 + 4; k++) {
            const weight = weights[k];
            if (!(weight > 0)) continue;
            let at = numbers.get(weight);
            if (at === undefined) numbers.set(weight, (at = numbers.size));
            pairs.push(joints[k], at);
            own++;
          }
        counts.push(own);
      }
    }
    return { counts, pairs, weights: Float32Array.from(numbers.keys()) };
  }

  #scene(materialIds: readonly string[]): string {
    const { nodes = [], scenes = [], scene = 0 } = this.#json;
    const below = new Set(nodes.flatMap(({ children = [] }) => children));
    const roots = scenes.at(scene)?.nodes ?? [...nodes.keys()].filter((n) => !below.has(n));
    const joints = new Set((this.#json.skins ?? []).flatMap((skin) => skin.joints));
    const write = (n: number): string => {
      const node = nodes[n];
      const [id, matrix] = [this.#nodeIds[n], rowsOf(localMatrix(node), 0)];
      return element(
        'node',
        { id, sid: id, name: node.name ?? id, type: joints.has(n) ? 'JOINT' : 'NODE' },
        element('matrix', { sid: 'transform' }, matrix.map(String).join(' ')),
        this.#instance(n, node, materialIds),
        (node.children ?? []).map(write),
      );
    };
    return element('visual_scene', { id: 'scene', name: 'scene' }, roots.map(write));
  }

  #instance(n: number, { mesh: m, skin: s }: GltfNode, materialIds: readonly string[]): string {
    if (m === undefined) return '';
    const mesh = (this.#json.meshes ?? [])[m] as Shaped;
    const primitives = facesOf(mesh.primitives);
    if (primitives.length === 0) return '';
    const used = [...new Set(primitives.flatMap(({ material }) => material ?? []))];
    const bound = used.map((material) =>
      element('instance_material', { symbol: `material${material}`, target: `#${materialIds[material]}` }),
    );
    const binding =
      bound.length === 0 ? '' : element('bind_material', {}, element('technique_common', {}, bound));
    if (s !== undefined) {
      const roots = this.#rootsOf((this.#json.skins ?? [])[s].joints);
      const skeletons = roots.map((root) => element('skeleton', {}, `#${escaped(this.#nodeIds[root])}`));
      return element('instance_controller', { url: `#${this.#nodeIds[n]}-skin` }, skeletons, binding);
    }
    const isShaped = shapeNames(mesh).length > 0;
    return isShaped
      ? element('instance_controller', { url: `#${this.#meshIds[m]}-morph` }, binding)
      : element('instance_geometry', { url: `#${this.#meshIds[m]}` }, binding);
  }

  /** Joints above which there is none of the skin. */
  #rootsOf(joints: readonly number[]): number[] {
    const parents = new Map<number, number>();
    (this.#json.nodes ?? []).forEach(({ children = [] }, n) =>
      children.forEach((child) => parents.set(child, n)),
    );
    const own = new Set(joints);
    const isBelow = (joint: number): boolean => {
      for (let n = parents.get(joint); n !== undefined; n = parents.get(n)) if (own.has(n)) return true;
      return false;
    };
    return joints.filter((joint) => !isBelow(joint));
  }

  #join(primitives: readonly GltfPrimitive[], name: string, width: number): Float32Array {
    const counts = primitives.map(({ attributes }) => this.#accessors[attributes.POSITION].getCount());
    const joined = new Float32Array(counts.reduce((sum, count) => sum + count, 0) * width);
    // What one primitive lacks and another has: white, or the corner of the picture.
    if (name === 'COLOR_0') joined.fill(1);
    let from = 0;
    primitives.forEach(({ attributes }, i) => {
      const index = attributes[name] as number | undefined;
      if (index !== undefined) joined.set(this.#values(index, width), from * width);
      from += counts[i];
    });
    return joined;
  }

  /** An accessor's elements with so many numbers each. */
  #values(index: number, width: number): Float32Array {
    const accessor = this.#accessors[index];
    const values = new Float32Array(accessor.getCount() * width).fill(1);
    const own: number[] = [];
    for (let i = 0; i < accessor.getCount(); i++) {
      accessor.getElement(i, own);
      for (let k = 0; k < Math.min(width, own.length); k++) values[i * width + k] = own[k];
    }
    return values;
  }

  #indices({ indices, attributes }: GltfPrimitive, from: number): Uint32Array {
    const held = indices === undefined ? undefined : arrayOf(this.#accessors[indices]);
    const count = held?.length ?? this.#accessors[attributes.POSITION].getCount();
    const whole = count - (count % 3);
    return Uint32Array.from({ length: whole }, (_, i) => (held ? held[i] : i) + from);
  }
}

type Shaped = NonNullable<GltfJson['meshes']>[number] & {
  readonly weights?: readonly number[];
  readonly extras?: { readonly targetNames?: readonly unknown[] };
};

const facesOf = (primitives: readonly GltfPrimitive[]): GltfPrimitive[] =>
  primitives.filter(({ mode, attributes }) => (mode ?? 4) === 4 && 'POSITION' in attributes);

function shapeNames({ primitives, extras }: Shaped): string[] {
  const count = Math.max(0, ...facesOf(primitives).map(({ targets }) => targets?.length ?? 0));
  return Array.from({ length: count }, (_, i) => {
    const name = extras?.targetNames?.[i];
    return typeof name === 'string' ? name : `shape ${i + 1}`;
  });
}

const verticesText = (id: string): string =>
  element(
    'vertices',
    { id: `${id}-vertices` },
    element('input', { semantic: 'POSITION', source: `#${id}-positions` }),
  );

/** A matrix as it is written: row by row. */
function rowsOf(matrix: ArrayLike<number>, at: number): number[] {
  return Array.from({ length: 16 }, (_, i) => matrix[at + (i % 4) * 4 + (i >> 2)]);
}

function source(id: string, values: Float32Array, params: readonly string[], stride = params.length): string {
  const isMatrix = stride === 16;
  return element(
    'source',
    { id },
    element('float_array', { id: `${id}-array`, count: values.length }, singlesText(values)),
    element(
      'technique_common',
      {},
      element(
        'accessor',
        { source: `#${id}-array`, count: values.length / stride, stride },
        params.map((name) => element('param', { name, type: isMatrix ? 'float4x4' : 'float' })),
      ),
    ),
  );
}

function wordSource(id: string, array: string, param: string, words: readonly string[]): string {
  const type = array === 'Name_array' ? 'name' : 'IDREF';
  return element(
    'source',
    { id },
    element(array, { id: `${id}-array`, count: words.length }, escaped(words.join(' '))),
    element(
      'technique_common',
      {},
      element(
        'accessor',
        { source: `#${id}-array`, count: words.length, stride: 1 },
        element('param', { name: param, type }),
      ),
    ),
  );
}
