import { CoreError } from '../../errors.ts';
import type { GltfContainer } from '../gltf/container.ts';
import type { GltfNode, GltfPrimitive } from '../gltf/gltfJson.ts';
import { type Beside, NewGltf } from '../gltf/NewGltf.ts';
import type { XmlElement } from '../xml/xmlTree.ts';
import { type DaeMesh, type DaePrimitive, readGeometry } from './daeGeometry.ts';
import { readMaterial } from './daeMaterials.ts';
import { type DaeTrack, readMotions } from './daeMotions.ts';
import { type DaeMorph, type DaeSkin, readMorph, readSkin } from './daeSkins.ts';
import { DaeSources } from './daeSources.ts';
import { all, damaged, DaeTree, find, placeOf } from './daeTree.ts';
import { type DaeTransform, isWhole, matrixOf, partsOf, transformsOf } from './daeTransforms.ts';

const MAX_NODES = 100_000;
const MAX_DEPTH = 200;
/** Influences that a vertex keeps; more are no weights of a character. */
const MAX_INFLUENCES = 32;

/** Whether a file's first bytes are those of COLLADA. */
export const looksLikeDae = (start: string): boolean => /<([\w-]+:)?COLLADA[\s>]/.test(start);

/**
 * A COLLADA file as the glTF file that a character is kept in: meshes, skins and shapes, materials with their pictures, nodes
 * and motions, in metres with y up. What it holds of other things is noted.
 *
 * @throws CoreError file-… with the place
 */
export function readDae(bytes: Uint8Array, beside: Beside = () => undefined): GltfContainer {
  return new DaeReader(new DaeTree(bytes), beside).read();
}

/** A skin or a geometry as an instance of it needs it. */
interface Shown {
  readonly mesh: DaeMesh;
  readonly skin?: DaeSkin;
  readonly morph?: { readonly of: DaeMorph; readonly shapes: readonly DaeMesh[] };
}

/** The joints of a skin as glTF lists them. */
interface SkinJoints {
  readonly nodes: number[];
  /** By joint of the COLLADA skin: its slot. */
  readonly slotOf: readonly number[];
}

interface Instance {
  readonly element: XmlElement;
  /** Of the glTF node that it stands in. */
  readonly node: number;
}

class DaeReader {
  readonly #tree: DaeTree;
  readonly #sources = new DaeSources();
  readonly #notes: string[] = [];
  readonly #gltf: NewGltf;
  readonly #roots: number[] = [];
  readonly #nodesOf = new Map<XmlElement, number[]>();
  readonly #transforms = new Map<XmlElement, readonly DaeTransform[]>();
  readonly #instances: Instance[] = [];
  readonly #geometries = new Map<XmlElement, DaeMesh | undefined>();
  readonly #materials = new Map<XmlElement, number>();
  readonly #meshes = new Map<string, number>();

  constructor(tree: DaeTree, beside: Beside) {
    this.#tree = tree;
    this.#gltf = new NewGltf((name) => beside(fileName(name)), this.#notes);
  }

  read(): GltfContainer {
    const tree = this.#tree;
    const wanted = tree.target(find(tree.root, 'scene', 'instance_visual_scene')?.attributes.url);
    const scenes = tree.library('library_visual_scenes', 'visual_scene');
    const scene = wanted ?? scenes.at(0);
    if (!scene) {
      if (tree.library('library_geometries', 'geometry').length === 0) throw noMesh(tree);
      throw new CoreError('file-invalid', 'The file has no scene, so nothing in it stands anywhere.', {
        where: 'library_visual_scenes',
      });
    }
    const tops = all(scene, 'node').map((node) => this.#addNode(node, 0));
    this.#roots.push(...this.#inMetres(tops, scene));
    for (const instance of this.#instances) this.#show(instance);
    this.#addMotions();
    if (this.#gltf.meshes.length === 0) throw noMesh(tree);
    return this.#gltf.finish(this.#roots);
  }

  /** One node above all where the file's unit is no metre, its up is not y, or it has several roots. */
  #inMetres(tops: number[], scene: XmlElement): number[] {
    const { unit, up } = this.#tree;
    if (unit === 1 && up === 'Y' && tops.length <= 1) return tops;
    const half = Math.SQRT1_2;
    const above: GltfNode = { name: freeName(scene.attributes.name ?? 'scene', this.#gltf.nodes) };
    if (tops.length > 0) above.children = tops;
    if (unit !== 1) above.scale = [unit, unit, unit];
    if (up === 'Z') above.rotation = [-half, 0, 0, half];
    if (up === 'X') above.rotation = [0, 0, half, half];
    return [this.#gltf.nodes.push(above) - 1];
  }

  #addNode(element: XmlElement, depth: number): number {
    const { nodes } = this.#gltf;
    if (nodes.length >= MAX_NODES || depth > MAX_DEPTH)
      throw new CoreError(
        'file-too-large',
        `The file has more than ${MAX_NODES} nodes, or more than ${MAX_DEPTH} inside one another, or they show themselves.`,
        { where: placeOf(element) },
      );
    const { attributes } = element;
    const node: GltfNode = {};
    const name = attributes.name ?? attributes.id ?? attributes.sid;
    if (name !== undefined) node.name = name;
    const index = nodes.push(node) - 1;
    const shown = this.#nodesOf.get(element);
    if (shown) shown.push(index);
    else this.#nodesOf.set(element, [index]);
    this.#place(element, node);
    const children = [
      ...all(element, 'node'),
      ...all(element, 'instance_node').map((instance) => this.#tree.need(instance.attributes.url, instance)),
    ].map((child) => this.#addNode(child, depth + 1));
    if (children.length > 0) node.children = children;
    for (const child of element.children)
      if (/^instance_(geometry|controller)$/.test(child.name))
        this.#instances.push({ element: child, node: index });
    return index;
  }

  #place(element: XmlElement, node: GltfNode): void {
    const transforms = transformsOf(element);
    this.#transforms.set(element, transforms);
    if (transforms.length === 0) return;
    const matrix = matrixOf(transforms);
    const parts = partsOf(matrix);
    if (!Array.from(matrix).every(Number.isFinite)) throw damaged(element, 'where it stands is not a number');
    if (!isWhole(matrix, parts))
      this.#notes.push(`“${node.name ?? 'A node'}” is slanted, which is left out.`);
    const { translation, rotation, scale } = parts;
    if (translation.some((x) => x !== 0)) node.translation = translation;
    if (rotation[3] !== 1) node.rotation = rotation;
    if (scale.some((x) => Math.abs(x - 1) > 1e-7)) node.scale = scale;
  }

  #show({ element, node }: Instance): void {
    const target = this.#tree.need(element.attributes.url, element);
    const shown = this.#shown(target, element);
    if (!shown) return;
    const materials = this.#bindings(element);
    const skeletons = all(element, 'skeleton').map(({ text }) => text.trim());
    const key = [element.attributes.url, ...materials, ...skeletons].join(' ');
    const joints = shown.skin && this.#jointsOf(shown.skin, skeletons);
    let mesh = this.#meshes.get(key);
    if (mesh === undefined) {
      mesh = this.#addMesh(shown, materials, joints?.slotOf ?? []);
      this.#meshes.set(key, mesh);
    }
    const { nodes } = this.#gltf;
    if (shown.skin && joints) {
      // Where a skinned mesh's node stands has no meaning: it stands beside the skeleton.
      const skin = this.#addSkin(shown.skin, joints);
      this.#roots.push(nodes.push({ name: shown.mesh.name, mesh, skin }) - 1);
    } else if (nodes[node].mesh === undefined) nodes[node].mesh = mesh;
    else (nodes[node].children ??= []).push(nodes.push({ name: shown.mesh.name, mesh }) - 1);
  }

  #shown(target: XmlElement, by: XmlElement): Shown | undefined {
    if (target.name === 'geometry') {
      const mesh = this.#geometry(target);
      return mesh && { mesh };
    }
    const [skin, morph] = [find(target, 'skin'), find(target, 'morph')];
    const controller = skin ?? morph;
    if (!controller) throw damaged(by, `“${by.attributes.url ?? ''}” is neither a mesh nor a skin`);
    const below = this.#shown(this.#tree.need(controller.attributes.source, controller), controller);
    if (!below) return undefined;
    if (skin)
      return { ...below, skin: readSkin(this.#tree, this.#sources, skin, below.mesh.positions.count) };
    const of = readMorph(this.#tree, controller);
    const shapes = of.targets.map((id) => {
      const shape = this.#geometry(this.#tree.need(`#${id}`, controller));
      if (shape?.positions.count !== below.mesh.positions.count)
        throw damaged(controller, `shape “${id}” has other points than the mesh`);
      return shape;
    });
    return { ...below, morph: { of, shapes } };
  }

  #geometry(element: XmlElement): DaeMesh | undefined {
    if (!this.#geometries.has(element))
      this.#geometries.set(element, readGeometry(this.#tree, this.#sources, element, this.#notes));
    return this.#geometries.get(element);
  }

  /** Symbol → material of the file. */
  #bindings(instance: XmlElement): Map<string, string> {
    const common = find(instance, 'bind_material', 'technique_common');
    return new Map(
      all(common, 'instance_material').map(({ attributes }) => [
        attributes.symbol ?? '',
        attributes.target ?? '',
      ]),
    );
  }

  #material(symbol: string, bindings: ReadonlyMap<string, string>): number | undefined {
    // Some files name the material itself where a symbol should stand.
    const element = this.#tree.target(bindings.get(symbol)) ?? this.#tree.target(symbol || undefined);
    if (element?.name !== 'material') return undefined;
    let index = this.#materials.get(element);
    if (index === undefined) {
      index = this.#gltf.material(readMaterial(this.#tree, element));
      this.#materials.set(element, index);
    }
    return index;
  }

  /** @param slotOf by joint of the skin: where it stands in the list that is written */
  #addMesh(
    { mesh, skin, morph }: Shown,
    bindings: ReadonlyMap<string, string>,
    slotOf: readonly number[],
  ): number {
    const primitives = mesh.primitives.map((primitive) => {
      const material = this.#material(primitive.material, bindings);
      const written = this.#gltf.primitive({ ...primitive, material });
      if (skin) this.#addWeights(written, primitive, skin, slotOf);
      if (morph)
        written.targets = morph.shapes.map((shape) => this.#target(primitive, mesh, shape, morph.of));
      return written;
    });
    const { meshes } = this.#gltf;
    const added: (typeof meshes)[number] & { weights?: number[]; extras?: unknown } = {
      name: mesh.name,
      primitives,
    };
    if (morph && morph.shapes.length > 0) {
      added.weights = morph.shapes.map((_, i) => morph.of.weights[i] ?? 0);
      added.extras = { targetNames: morph.shapes.map(({ name }) => name) };
    }
    return meshes.push(added) - 1;
  }

  #addWeights(
    written: GltfPrimitive,
    { positionOf }: DaePrimitive,
    { starts, slots, weights, joints }: DaeSkin,
    slotOf: readonly number[],
  ): void {
    let most = 1;
    for (const p of positionOf) most = Math.max(most, starts[p + 1] - starts[p]);
    if (most > MAX_INFLUENCES)
      this.#notes.push(`Vertices with up to ${most} influences keep the ${MAX_INFLUENCES} greatest.`);
    const sets = Math.ceil(Math.min(most, MAX_INFLUENCES) / 4);
    const count = positionOf.length;
    for (let set = 0; set < sets; set++) {
      const own = joints.length > 256 ? new Uint16Array(count * 4) : new Uint8Array(count * 4);
      const values = new Float32Array(count * 4);
      positionOf.forEach((p, v) => {
        const from = starts[p];
        const all = starts[p + 1] - from;
        const order = all > MAX_INFLUENCES ? greatestFirst(weights, from, all) : undefined;
        for (let k = 0; k < 4 && set * 4 + k < all; k++) {
          const i = order ? order[set * 4 + k] : from + set * 4 + k;
          if (weights[i] === 0) continue;
          own[v * 4 + k] = slotOf[slots[i]];
          values[v * 4 + k] = weights[i];
        }
      });
      written.attributes[`JOINTS_${set}`] = this.#gltf.binary.add(own, 'VEC4');
      written.attributes[`WEIGHTS_${set}`] = this.#gltf.binary.add(values, 'VEC4');
    }
  }

  #target(
    { positionOf }: DaePrimitive,
    { positions: base }: DaeMesh,
    { positions: shape }: DaeMesh,
    { isRelative }: DaeMorph,
  ): Record<string, number> {
    const moves = new Float32Array(positionOf.length * 3);
    const range = { min: [Infinity, Infinity, Infinity], max: [-Infinity, -Infinity, -Infinity] };
    positionOf.forEach((p, v) => {
      for (let k = 0; k < 3; k++) {
        const to = shape.values[p * shape.width + k];
        const move = Math.fround(isRelative ? to : to - base.values[p * base.width + k]);
        moves[v * 3 + k] = move;
        range.min[k] = Math.min(range.min[k], move);
        range.max[k] = Math.max(range.max[k], move);
      }
    });
    return { POSITION: this.#gltf.binary.add(moves, 'VEC3', range) };
  }

  /** The nodes of a skin's joints, each once, and where each joint of the skin stands among them. */
  #jointsOf({ joints, areIds, element }: DaeSkin, skeletons: readonly string[]): SkinJoints {
    if (joints.length === 0) throw damaged(element, 'it names no joints');
    const roots = skeletons.flatMap((id) => this.#tree.target(id) ?? []);
    const bySid = namesBelow(roots.length > 0 ? roots : [...this.#nodesOf.keys()], 'sid');
    const byName = namesBelow([...this.#nodesOf.keys()], 'name');
    const found = joints.map((name) => {
      const byId = this.#tree.target(`#${name}`);
      const node = areIds ? byId : (bySid.get(name) ?? byId ?? byName.get(name));
      const index = node && this.#nodesOf.get(node)?.at(0);
      if (index === undefined) throw damaged(element, `joint “${name.slice(0, 60)}” is not in the scene`);
      return index;
    });
    const nodes = [...new Set(found)];
    if (nodes.length < found.length)
      this.#notes.push('Joints of one name share their weights: the file does not tell them apart.');
    return { nodes, slotOf: found.map((node) => nodes.indexOf(node)) };
  }

  #addSkin({ inverseBinds }: DaeSkin, { nodes, slotOf }: SkinJoints): number {
    const matrices = new Float32Array(nodes.length * 16);
    // Of joints that are one, the first says how it was bound.
    for (let joint = slotOf.length - 1; joint >= 0; joint--)
      matrices.set(inverseBinds.subarray(joint * 16, joint * 16 + 16), slotOf[joint] * 16);
    // The format wants the last row to the bit.
    for (let i = 3; i < matrices.length; i += 4) matrices[i] = i % 16 === 15 ? 1 : 0;
    const inverseBindMatrices = this.#gltf.binary.add(matrices, 'MAT4');
    return this.#gltf.skins.push({ joints: nodes, inverseBindMatrices }) - 1;
  }

  #addMotions(): void {
    const motions = readMotions(this.#tree, this.#sources, (node) => this.#transforms.get(node), this.#notes);
    for (const { name, tracks } of motions) {
      const animation = { name, channels: [] as never[], samplers: [] as never[] };
      for (const track of tracks) this.#addTrack(animation, track);
      if (animation.channels.length > 0) this.#gltf.animations.push(animation);
    }
  }

  #addTrack(animation: NewGltf['animations'][number], { node, times, keys, isStepped }: DaeTrack): void {
    const { binary } = this.#gltf;
    const input = binary.add(times, 'SCALAR', { min: [times[0]], max: [times[times.length - 1]] });
    const rest = partsOf(matrixOf(this.#transforms.get(node) ?? []));
    for (const path of ['translation', 'rotation', 'scale'] as const) {
      const width = path === 'rotation' ? 4 : 3;
      const values = new Float32Array(keys.length * width);
      keys.forEach((parts, i) => {
        const isFar = path === 'rotation' && i > 0 && dot4(values, (i - 1) * 4, parts.rotation) < 0;
        parts[path].forEach((x, k) => (values[i * width + k] = isFar ? -x : x));
      });
      const moves = values.some((x, i) => Math.abs(x - rest[path][i % width]) > 1e-6);
      if (!moves) continue;
      const output = binary.add(values, width === 4 ? 'VEC4' : 'VEC3');
      const interpolation = isStepped ? 'STEP' : 'LINEAR';
      const sampler = animation.samplers.push({ input, output, interpolation }) - 1;
      for (const target of this.#nodesOf.get(node) ?? [])
        animation.channels.push({ sampler, target: { node: target, path } });
    }
  }
}

const dot4 = (values: Float32Array, at: number, other: readonly number[]): number =>
  other.reduce((sum, x, k) => sum + x * values[at + k], 0);

function greatestFirst(weights: Float32Array, from: number, count: number): number[] {
  return Array.from({ length: count }, (_, i) => from + i).sort((a, b) => weights[b] - weights[a] || a - b);
}

/** Nodes at and below some by an attribute: of several of one name the first, from above. */
function namesBelow(roots: readonly XmlElement[], attribute: string): Map<string, XmlElement> {
  const found = new Map<string, XmlElement>();
  const queue = [...roots];
  const seen = new Set<XmlElement>();
  for (const element of queue) {
    if (seen.has(element)) continue;
    seen.add(element);
    const name = element.attributes[attribute];
    if (name !== undefined && !found.has(name)) found.set(name, element);
    queue.push(...all(element, 'node'));
  }
  return found;
}

function freeName(name: string, nodes: readonly GltfNode[]): string {
  const taken = new Set(nodes.map((node) => node.name));
  let free = name;
  for (let i = 2; taken.has(free); i++) free = `${name} ${i}`;
  return free;
}

/** The name of a file that is given by its address. */
function fileName(address: string): string {
  const path = address
    .replace(/^file:\/+/i, '')
    .replace(/\\/g, '/')
    .replace(/^\.\//, '');
  try {
    return decodeURIComponent(path);
  } catch {
    return path;
  }
}

function noMesh(tree: DaeTree): CoreError {
  const has = (library: string, name: string): boolean => tree.library(library, name).length > 0;
  const splines = tree.library('library_geometries', 'geometry').some((each) => find(each, 'spline'));
  const what = splines
    ? 'It holds splines, which are not read: save them as meshes.'
    : has('library_cameras', 'camera') || has('library_lights', 'light')
      ? 'It holds cameras and lights alone.'
      : 'Nothing in its scene shows one.';
  return new CoreError('file-no-mesh', `There is no mesh of faces in the file. ${what}`);
}
