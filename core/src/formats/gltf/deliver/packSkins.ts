import { CoreError } from '../../../errors.ts';
import { WEIGHT_STEPS } from '../../../document/profiles.ts';
import type { Delivery } from '../../../document/delivery.ts';
import { wholeShares } from '../../../weights/wholeShares.ts';
import type { GltfContainer } from '../container.ts';
import { decodeGltf, type Decoders } from '../readCharacter.ts';
import type { GltfNode, GltfPrimitive } from '../gltfJson.ts';
import { GltfEdit, type Numbers } from './GltfEdit.ts';
import { splitFaces } from './splitFaces.ts';

export type SkinDelivery = Pick<Delivery, 'weights' | 'leavesEmptyJoints' | 'maxJoints' | 'maxVertices'>;

/**
 * Weights in another format, joints without weight out of the skins, and meshes split within a number of joints and vertices;
 * all else of the file stays as it is. Weights that are whole numbers sum to one exactly.
 *
 * @throws CoreError argument-invalid where one face alone has more joints or vertices than a part may have
 */
export async function packSkins(
  container: GltfContainer,
  decoders: Decoders,
  how: SkinDelivery,
): Promise<GltfContainer> {
  const { weights, leavesEmptyJoints, maxJoints, maxVertices } = how;
  if (weights === 'f32' && !leavesEmptyJoints && maxJoints === 0 && maxVertices === 0) return container;
  const edit = new GltfEdit(container, await decodeGltf(container, decoders));
  const { nodes = [], meshes = [] } = edit.json;
  for (let m = 0, count = meshes.length; m < count; m++) {
    const users = nodes.filter((node) => node.mesh === m);
    const skins = new Set(users.map(({ skin }) => skin));
    // One mesh in several skins keeps their lists: its numbers mean other joints in each.
    const isAlone = skins.size === 1 && users[0].skin !== undefined;
    const packed = new MeshPack(edit, m, isAlone ? how : { ...how, leavesEmptyJoints: false, maxJoints: 0 });
    if (skins.size > 0 && !skins.has(undefined)) packed.writeWeights();
    if (users.length > 0) packed.split(users);
  }
  return edit.finish();
}

const WEIGHT_ATTRIBUTE = /^(JOINTS|WEIGHTS)_\d+$/;

/** The influences of a primitive's vertices, `stride` a vertex. */
interface Influences {
  readonly stride: number;
  readonly joints: Uint16Array;
  readonly weights: Float32Array;
}

class MeshPack {
  readonly #edit: GltfEdit;
  readonly #mesh: number;
  readonly #how: SkinDelivery;
  readonly #influences: (Influences | undefined)[];

  constructor(edit: GltfEdit, mesh: number, how: SkinDelivery) {
    this.#edit = edit;
    this.#mesh = mesh;
    this.#how = how;
    this.#influences = this.#primitives.map((primitive) => readInfluences(edit, primitive));
  }

  get #primitives(): GltfPrimitive[] {
    return (this.#edit.json.meshes ?? [])[this.#mesh].primitives;
  }

  /** In the wanted format; left as they are where that is the file's own. */
  writeWeights(): void {
    if (this.#how.weights === 'f32') return;
    this.#primitives.forEach((primitive, p) => {
      const own = this.#influences[p];
      if (own) putInfluences(this.#edit, primitive, rounded(own, WEIGHT_STEPS[this.#how.weights]), this.#how);
    });
  }

  split(users: readonly GltfNode[]): void {
    const { leavesEmptyJoints, maxJoints } = this.#how;
    const pieces = this.#primitives.map((primitive, p) => this.#piecesOf(primitive, this.#influences[p]));
    const count = pieces.reduce((most, own) => Math.max(most, own.length), 1);
    const hasOwnList = users[0].skin !== undefined && (leavesEmptyJoints || maxJoints > 0);
    if (count > 1 || hasOwnList) this.#write(pieces, count, users);
  }

  #piecesOf(primitive: GltfPrimitive, influences: Influences | undefined): (Uint32Array | undefined)[] {
    const { maxJoints, maxVertices } = this.#how;
    if ((primitive.mode ?? 4) !== 4 || (maxJoints === 0 && maxVertices === 0)) return [undefined];
    const indices = this.#indices(primitive);
    const vertexCount = this.#edit.json.accessors?.[primitive.attributes.POSITION].count ?? 0;
    const used = (vertex: number): number[] => (influences ? jointsAt(influences, vertex) : []);
    const faces = splitFaces(indices, vertexCount, used, maxJoints || Infinity, maxVertices || Infinity);
    if (!faces)
      throw new CoreError(
        'argument-invalid',
        `One face alone follows more than ${maxJoints} joints: bring the influences down first.`,
        { where: `meshes[${this.#mesh}]` },
      );
    return faces.length === 1 ? [undefined] : faces;
  }

  #indices({ indices, attributes }: GltfPrimitive): Uint32Array {
    if (indices !== undefined) return Uint32Array.from(this.#edit.numbers(indices));
    const count = this.#edit.json.accessors?.[attributes.POSITION].count ?? 0;
    return Uint32Array.from({ length: count }, (_, i) => i);
  }

  /** The k-th piece of every primitive makes the k-th mesh, with a skin of its own. */
  #write(
    pieces: readonly (readonly (Uint32Array | undefined)[])[],
    count: number,
    users: readonly GltfNode[],
  ): void {
    const { json } = this.#edit;
    const [meshes, nodes] = [json.meshes ?? [], json.nodes ?? []];
    const mesh = meshes[this.#mesh];
    const primitives = [...mesh.primitives];
    const whole = users[0].skin;
    for (let k = 0; k < count; k++) {
      const own = primitives.flatMap((primitive, p) => {
        const faces = pieces[p].at(k);
        if (k >= pieces[p].length) return [];
        return [{ p, written: faces ? this.#cut(primitive, faces) : copied(primitive) }];
      });
      const name = k === 0 ? mesh.name : `${mesh.name ?? 'mesh'} ${k + 1}`;
      const target = {
        ...mesh,
        ...(name !== undefined && { name }),
        primitives: own.map(({ written }) => written),
      };
      let index = this.#mesh;
      if (k === 0) meshes[this.#mesh] = target;
      else index = meshes.push(target) - 1;
      const skin = whole === undefined ? undefined : this.#skinFor(own, pieces, k, whole);
      for (const user of users) {
        if (k === 0) {
          if (skin !== undefined) user.skin = skin;
          continue;
        }
        const { children: _, translation, rotation, scale, matrix, ...held } = user;
        const place = { translation, rotation, scale, matrix };
        const node: GltfNode = {
          ...held,
          ...(skin === undefined ? {} : { ...place, skin }),
          name: `${user.name ?? 'part'} ${k + 1}`,
          mesh: index,
        };
        this.#hang(nodes.indexOf(user), nodes.push(copied(node)) - 1);
      }
    }
  }

  /**
   * Writes the weights of a piece's vertices, and makes a list of the joints that it follows, in the order of the whole list.
   * @returns its skin
   */
  #skinFor(
    own: readonly { p: number; written: GltfPrimitive }[],
    pieces: readonly (readonly (Uint32Array | undefined)[])[],
    k: number,
    whole: number,
  ): number {
    const { leavesEmptyJoints, maxJoints, weights } = this.#how;
    const hasOwnList = leavesEmptyJoints || maxJoints > 0;
    const used = new Set<number>();
    const held = own.flatMap(({ p, written }) => {
      const all = this.#influences[p];
      const faces = pieces[p].at(k);
      if (!all || (!faces && !hasOwnList)) return [];
      const cut = faces ? gathered(all, verticesOf(faces)) : all;
      const kept = weights === 'f32' ? cut : rounded(cut, WEIGHT_STEPS[weights]);
      for (let i = 0; i < kept.weights.length; i++) if (kept.weights[i] > 0) used.add(kept.joints[i]);
      return [{ written, kept }];
    });
    if (!hasOwnList) {
      for (const { written, kept } of held) putInfluences(this.#edit, written, kept, this.#how);
      return whole;
    }
    const list = used.size === 0 ? [0] : [...used].sort((a, b) => a - b);
    const slotOf = new Map(list.map((slot, i) => [slot, i]));
    for (const { written, kept } of held) {
      const joints = kept.joints.map((slot, i) => (kept.weights[i] > 0 ? (slotOf.get(slot) ?? 0) : 0));
      putInfluences(this.#edit, written, { ...kept, joints }, this.#how);
    }
    return this.#addSkin(whole, list);
  }

  #addSkin(whole: number, list: readonly number[]): number {
    const skins = this.#edit.json.skins ?? [];
    const skin = copied(skins[whole]);
    skin.joints = list.map((slot) => skins[whole].joints[slot]);
    if (skin.inverseBindMatrices !== undefined) {
      const matrices = this.#edit.numbers(skin.inverseBindMatrices);
      const own = new Float32Array(list.length * 16);
      list.forEach((slot, i) => own.set(matrices.subarray(slot * 16, slot * 16 + 16), i * 16));
      skin.inverseBindMatrices = this.#edit.add(own, { type: 'MAT4' });
    }
    return skins.push(skin) - 1;
  }

  /** A primitive with some faces only, and the vertices of these. */
  #cut(primitive: GltfPrimitive, faces: Uint32Array): GltfPrimitive {
    const vertices = verticesOf(faces);
    const numberOf = new Map(Array.from(vertices, (vertex, i) => [vertex, i]));
    const cut = copied(primitive);
    // Weights are written by themselves.
    const take = (attributes: Record<string, number>): Record<string, number> =>
      Object.fromEntries(
        Object.entries(attributes)
          .filter(([name]) => !WEIGHT_ATTRIBUTE.test(name))
          .map(([name, index]) => [name, this.#gather(index, vertices)]),
      );
    delete cut.extensions?.KHR_draco_mesh_compression;
    if (cut.extensions && Object.keys(cut.extensions).length === 0) delete cut.extensions;
    cut.attributes = take(cut.attributes);
    if (cut.targets) cut.targets = cut.targets.map(take);
    cut.indices = this.#edit.add(
      Uint32Array.from(faces, (vertex) => numberOf.get(vertex) ?? 0),
      { type: 'SCALAR' },
    );
    return cut;
  }

  #gather(index: number, vertices: Uint32Array): number {
    const accessor = (this.#edit.json.accessors ?? [])[index];
    const numbers = this.#edit.numbers(index);
    const size = numbers.length / accessor.count;
    const own = new (numbers.constructor as new (length: number) => Numbers)(vertices.length * size);
    vertices.forEach((vertex, i) => own.set(numbers.subarray(vertex * size, (vertex + 1) * size), i * size));
    return this.#edit.add(own, accessor);
  }

  /** A skinned piece stands beside the first one, another below it: it goes wherever that goes. */
  #hang(beside: number, added: number): void {
    const { nodes = [], scenes = [], animations = [] } = this.#edit.json;
    if (nodes[added].skin === undefined) (nodes[beside].children ??= []).push(added);
    else {
      const parent = nodes.find(({ children = [] }) => children.includes(beside));
      parent?.children?.push(added);
      for (const scene of scenes) if (scene.nodes?.includes(beside)) scene.nodes.push(added);
    }
    for (const { channels } of animations)
      channels.push(
        ...channels
          .filter(({ target }) => target.node === beside && target.path === 'weights')
          .map((channel) => ({ ...channel, target: { ...channel.target, node: added } })),
      );
  }
}

const copied = <T>(value: T): T => JSON.parse(JSON.stringify(value)) as T;

function readInfluences(edit: GltfEdit, { attributes }: GltfPrimitive): Influences | undefined {
  const sets: { joints: Numbers; weights: Numbers }[] = [];
  for (let set = 0; `JOINTS_${set}` in attributes && `WEIGHTS_${set}` in attributes; set++)
    sets.push({
      joints: edit.numbers(attributes[`JOINTS_${set}`]),
      weights: edit.numbers(attributes[`WEIGHTS_${set}`]),
    });
  if (sets.length === 0) return undefined;
  const count = sets[0].weights.length / 4;
  const stride = sets.length * 4;
  const [joints, weights] = [new Uint16Array(count * stride), new Float32Array(count * stride)];
  sets.forEach((set, s) => {
    const most = set.weights instanceof Uint8Array ? 255 : set.weights instanceof Uint16Array ? 65535 : 1;
    for (let v = 0; v < count; v++)
      for (let k = 0; k < 4; k++) {
        joints[v * stride + s * 4 + k] = set.joints[v * 4 + k];
        weights[v * stride + s * 4 + k] = Math.max(0, set.weights[v * 4 + k] / most);
      }
  });
  return { stride, joints, weights };
}

/** Weights as shares of a whole number, greatest first. */
function rounded({ stride, joints, weights }: Influences, whole: number): Influences {
  const shares = new Uint16Array(weights.length);
  const out = { stride, joints: new Uint16Array(joints.length), weights: new Float32Array(weights.length) };
  for (let from = 0; from < weights.length; from += stride) {
    wholeShares(weights, from, stride, whole, shares);
    const order = Array.from({ length: stride }, (_, k) => from + k)
      .filter((k) => shares[k] > 0)
      .sort((a, b) => shares[b] - shares[a] || a - b);
    order.forEach((k, slot) => {
      out.joints[from + slot] = joints[k];
      out.weights[from + slot] = shares[k];
    });
  }
  for (let i = 0; i < out.weights.length; i++) out.weights[i] /= whole;
  return out;
}

function gathered({ stride, joints, weights }: Influences, vertices: Uint32Array): Influences {
  const out = {
    stride,
    joints: new Uint16Array(vertices.length * stride),
    weights: new Float32Array(vertices.length * stride),
  };
  vertices.forEach((vertex, i) => {
    out.joints.set(joints.subarray(vertex * stride, (vertex + 1) * stride), i * stride);
    out.weights.set(weights.subarray(vertex * stride, (vertex + 1) * stride), i * stride);
  });
  return out;
}

/** Writes as many sets as are needed, and takes away those that are not. */
function putInfluences(
  edit: GltfEdit,
  primitive: GltfPrimitive,
  { stride, joints, weights }: Influences,
  { weights: format }: SkinDelivery,
): void {
  const count = weights.length / stride;
  let most = 1;
  for (let i = 0; i < weights.length; i++) if (weights[i] > 0) most = Math.max(most, (i % stride) + 1);
  const whole = WEIGHT_STEPS[format];
  const highest = joints.reduce((top, slot) => Math.max(top, slot), 0);
  const isOther = ([attribute]: [string, unknown]): boolean => !WEIGHT_ATTRIBUTE.test(attribute);
  primitive.attributes = Object.fromEntries(Object.entries(primitive.attributes).filter(isOther));
  const draco = primitive.extensions?.KHR_draco_mesh_compression;
  if (draco?.attributes)
    draco.attributes = Object.fromEntries(Object.entries(draco.attributes).filter(isOther));
  for (let set = 0; set * 4 < most; set++) {
    const [jointName, weightName] = [`JOINTS_${set}`, `WEIGHTS_${set}`];
    const own = highest > 255 ? new Uint16Array(count * 4) : new Uint8Array(count * 4);
    const values =
      whole === 0
        ? new Float32Array(count * 4)
        : whole === 255
          ? new Uint8Array(count * 4)
          : new Uint16Array(count * 4);
    for (let v = 0; v < count; v++)
      for (let k = 0; k < 4; k++) {
        const at = v * stride + set * 4 + k;
        own[v * 4 + k] = joints[at];
        values[v * 4 + k] = whole === 0 ? weights[at] : Math.round(weights[at] * whole);
      }
    primitive.attributes[jointName] = edit.add(own, { type: 'VEC4' });
    primitive.attributes[weightName] = edit.add(values, {
      type: 'VEC4',
      ...(whole > 0 && { normalized: true }),
    });
  }
}

function jointsAt({ stride, joints, weights }: Influences, vertex: number): number[] {
  const used: number[] = [];
  for (let k = vertex * stride; k < (vertex + 1) * stride; k++) if (weights[k] > 0) used.push(joints[k]);
  return used;
}

/** The vertices of some faces, rising. */
const verticesOf = (faces: Uint32Array): Uint32Array => Uint32Array.from(new Set(faces)).sort();
