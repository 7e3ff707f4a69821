import { mat4 } from 'gl-matrix';
import { lengthFactors } from '../../skeleton/applyScale.ts';
import { liveJoints, restWorld, type Skeleton } from '../../skeleton/skeleton.ts';
import { sameSetup, setupOf, type JointSetup } from '../../skeleton/skeletonChange.ts';
import { FLOAT, type BufferWriter } from './bufferWriter.ts';
import type { Character } from '../../document/character.ts';
import type { GltfAnimation, GltfJson, GltfNode } from './gltfJson.ts';
import { localMatrix } from './nodePlaces.ts';

/** What the parts need to know of the skeleton as it was written. */
export interface WrittenSkeleton {
  /** By joint: its node; -1 for none. */
  readonly nodeOfJoint: readonly number[];
  /** By skin: the joints of its list, slot by slot. */
  readonly jointsOfSkin: number[][];
  /** Skins whose slots moved, because a joint before them was taken out. */
  readonly renumbered: ReadonlySet<number>;
}

const IDENTITY = [1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1];
const near = (a: ArrayLike<number>, b: ArrayLike<number>): boolean =>
  Array.from(a).every((n, i) => Math.abs(n - b[i]) <= 1e-7 * Math.max(1, Math.abs(n)));

/**
 * Writes the joints that differ from the file into its nodes, skins and clips; nothing at all if none does.
 *
 * A joint that hangs on another one gets a node between, where its frame needs one. A joint that was taken out leaves
 * the skins; its node goes too unless something else hangs on it. What is no joint but hangs on one that moved (a mesh
 * held in a hand) stays where it was. Clips that place a moved joint are shifted along.
 */
export function exportSkeleton(
  writer: BufferWriter,
  json: GltfJson,
  base: Character,
  edited: Character,
): WrittenSkeleton {
  const jointsOfSkin = (json.skins ?? []).map((skin) =>
    skin.joints.map((node) => jointAt(base.skeleton, node)),
  );
  const nodeOfJoint = edited.skeleton.joints.map(({ node }) => node);
  const renumbered = new Set<number>();
  const written = { nodeOfJoint, jointsOfSkin, renumbered };
  if (edited === base) return written;
  const tree = new NodeTree(json, nodeOfJoint);
  // Joints made of the file's nodes stand as they stood there, until somebody moves them.
  const asNodes = new Map(base.plainNodes.length === 0 ? [] : setupsOfNodes(base, edited.skeleton));
  const before = (joint: number): JointSetup | null =>
    base.skeleton.joints[joint] ? setupOf(base.skeleton.joints[joint]) : (asNodes.get(joint) ?? null);
  const changed = liveJoints(edited.skeleton).filter(
    (joint) => !sameSetup(before(joint), setupOf(edited.skeleton.joints[joint])),
  );
  keepHeld(tree, base.skeleton, edited.skeleton);
  for (const joint of changed) tree.setUp(joint, before(joint), setupOf(edited.skeleton.joints[joint]));
  for (const joint of changed) tree.hang(joint, before(joint), setupOf(edited.skeleton.joints[joint]));
  const removed = edited.skeleton.joints.flatMap(({ removed: gone, node }) =>
    gone && node >= 0 ? [node] : [],
  );
  tree.takeOut(removed);
  writeSkins(writer, json, base, edited, written);
  shiftClips(writer, json, base.skeleton, edited.skeleton);
  return written;
}

/** By joint that was made of a node: how it stood as a node. */
function setupsOfNodes({ plainNodes }: Character, { joints }: Skeleton): [number, JointSetup][] {
  const jointOfNode = new Map(joints.map(({ node }, joint) => [node, joint]));
  return plainNodes.flatMap(({ node, name, above, ...place }): [number, JointSetup][] => {
    const joint = jointOfNode.get(node);
    if (joint === undefined) return [];
    return [[joint, { id: joints[joint].id, name, parent: jointOfNode.get(above) ?? -1, ...place }]];
  });
}

function jointAt(skeleton: Skeleton, node: number): number {
  return skeleton.joints.findIndex((joint) => joint.node === node);
}

/** The nodes of a file as a tree that can be changed. */
class NodeTree {
  readonly nodes: GltfNode[];
  readonly #json: GltfJson;
  readonly #nodeOfJoint: number[];
  readonly #parentOf: Map<number, number>;

  constructor(json: GltfJson, nodeOfJoint: number[]) {
    this.#json = json;
    this.nodes = json.nodes ??= [];
    this.#nodeOfJoint = nodeOfJoint;
    this.#parentOf = new Map(
      this.nodes.flatMap(({ children }, n) => (children ?? []).map((child): [number, number] => [child, n])),
    );
  }

  setUp(joint: number, before: JointSetup | null, { name, translation, rotation, scale }: JointSetup): void {
    if (this.#nodeOfJoint[joint] < 0) this.#nodeOfJoint[joint] = this.nodes.push({}) - 1;
    const node = this.nodes[this.#nodeOfJoint[joint]];
    if (name !== before?.name) node.name = name;
    const same =
      before &&
      near(translation, before.translation) &&
      near(rotation, before.rotation) &&
      near(scale, before.scale);
    if (same) return;
    delete node.matrix;
    node.translation = [...translation];
    node.rotation = [...rotation];
    node.scale = [...scale];
  }

  /** Hangs a joint's node where its setup says, if that is elsewhere than before. */
  hang(joint: number, before: JointSetup | null, { parent, offset, name }: JointSetup): void {
    if (before && before.parent === parent && near(before.offset, offset)) return;
    const node = this.#nodeOfJoint[joint];
    this.#detach(node);
    if (near(offset, IDENTITY)) {
      this.#attach(node, parent);
      return;
    }
    const between = this.nodes.push({ name: `${name} offset`, matrix: [...offset] }) - 1;
    this.#attach(between, parent);
    this.nodes[between].children = [node];
    this.#parentOf.set(node, between);
  }

  /** Drops nodes that nothing hangs on and that carry nothing, with the tracks that move them. */
  takeOut(candidates: readonly number[]): void {
    const left = new Set(candidates);
    for (let again = true; again;) {
      again = false;
      for (const n of left) {
        const { children = [], mesh, camera, extensions } = this.nodes[n];
        if (children.length > 0 || mesh !== undefined || camera !== undefined || extensions) continue;
        this.#detach(n);
        left.delete(n);
        dropTracks(this.#json, n);
        again = true;
      }
    }
  }

  #detach(node: number): void {
    const above = this.#parentOf.get(node);
    const scenes = above === undefined ? (this.#json.scenes ?? []) : [];
    for (const scene of scenes) scene.nodes = scene.nodes?.filter((n) => n !== node);
    if (above === undefined) return;
    const rest = (this.nodes[above].children ?? []).filter((n) => n !== node);
    if (rest.length > 0) this.nodes[above].children = rest;
    else delete this.nodes[above].children;
    this.#parentOf.delete(node);
  }

  #attach(node: number, parent: number): void {
    if (parent < 0) {
      const scenes = (this.#json.scenes ??= [{}]);
      const scene = scenes[this.#json.scene ?? 0];
      scene.nodes = [...(scene.nodes ?? []), node];
      return;
    }
    const above = this.#nodeOfJoint[parent];
    this.nodes[above].children = [...(this.nodes[above].children ?? []), node];
    this.#parentOf.set(node, above);
  }
}

function dropTracks(json: GltfJson, node: number): void {
  for (const clip of json.animations ?? [])
    clip.channels = clip.channels.filter(({ target }) => target.node !== node);
  // The format knows no clip without a track.
  json.animations = json.animations?.filter(({ channels }) => channels.length > 0);
  if (json.animations?.length === 0) delete json.animations;
}

/** Nodes below a moved joint that lead to no joint keep their place in the scene. */
function keepHeld({ nodes }: NodeTree, before: Skeleton, after: Skeleton): void {
  const isJoint = new Set(before.joints.map(({ node }) => node));
  const leadsToJoint = (n: number): boolean =>
    isJoint.has(n) || (nodes[n].children ?? []).some((child) => leadsToJoint(child));
  const [was, is] = [restWorld(before), restWorld(after)];
  before.joints.forEach(({ node: n }, joint) => {
    const [old, now] = [was, is].map((world) => world.subarray(joint * 16, joint * 16 + 16));
    if (near(old, now)) return;
    const held = (nodes[n].children ?? []).filter((child) => !leadsToJoint(child));
    const back = mat4.create();
    if (held.length === 0 || !mat4.invert(back, now)) return;
    mat4.multiply(back, back, old);
    for (const child of held) {
      const local = localMatrix(nodes[child]);
      const { translation: _t, rotation: _r, scale: _s, ...rest } = nodes[child];
      nodes[child] = { ...rest, matrix: [...mat4.multiply(mat4.create(), back, local)] };
    }
  });
}

/** Inverse bind matrices of listed joints as a new accessor. */
export function appendBinds(writer: BufferWriter, binds: Float32Array, listed: readonly number[]): number {
  const matrices = new Float32Array(listed.length * 16);
  listed.forEach((joint, slot) => matrices.set(binds.subarray(joint * 16, joint * 16 + 16), slot * 16));
  for (let at = 0; at < matrices.length; at += 16) {
    // The last row is 0 0 0 1 in the format, to the bit.
    matrices[at + 3] = matrices[at + 7] = matrices[at + 11] = 0;
    matrices[at + 15] = 1;
  }
  return writer.append(matrices, FLOAT, 'MAT4', listed.length);
}

function writeSkins(
  writer: BufferWriter,
  json: GltfJson,
  base: Character,
  edited: Character,
  { nodeOfJoint, jointsOfSkin, renumbered }: WrittenSkeleton & { renumbered: Set<number> },
): void {
  const { joints } = edited.skeleton;
  const added = liveJoints(edited.skeleton).filter((joint) => joint >= base.skeleton.joints.length);
  (json.skins ?? []).forEach((skin, index) => {
    const part = edited.parts.findIndex(({ source }) => source.skin === index);
    if (part < 0) return;
    const listed = jointsOfSkin[index];
    const known = new Set(listed);
    const kept = listed.filter((joint) => !joints[joint].removed);
    for (const joint of added) {
      let above = joints[joint].parent;
      while (above >= 0 && !known.has(above)) above = joints[above].parent;
      if (above < 0 && joints[joint].parent >= 0) continue;
      kept.push(joint);
      known.add(joint);
    }
    if (listed.some((joint, slot) => joint !== kept[slot])) renumbered.add(index);
    const same = kept.length === listed.length && !renumbered.has(index);
    const [was, is] = [base.parts[part].inverseBinds, edited.parts[part].inverseBinds];
    const moved = kept.some((joint) =>
      is.subarray(joint * 16, joint * 16 + 16).some((n, i) => n !== was[joint * 16 + i]),
    );
    if (same && !moved) return;
    listed.splice(0, listed.length, ...kept);
    skin.joints = kept.map((joint) => nodeOfJoint[joint]);
    skin.inverseBindMatrices = appendBinds(writer, is, kept);
    // It may name a node that is not above all joints any more; the format does not need it.
    delete skin.skeleton;
  });
}

/** Tracks that place a joint which stands elsewhere now go along; scaled skeletons have them scaled. */
function shiftClips(writer: BufferWriter, json: GltfJson, before: Skeleton, after: Skeleton): void {
  const factors = lengthFactors(before, after);
  for (const clip of json.animations ?? []) {
    for (const channel of clip.channels) {
      const joint = jointAt(before, channel.target.node ?? -1);
      const { path } = channel.target;
      if ((path !== 'translation' && path !== 'scale') || joint < 0 || after.joints[joint].removed) continue;
      const [from, to] = [before.joints[joint][path], after.joints[joint][path]];
      if (near(from, to)) continue;
      const factor = factors[joint];
      channel.sampler = shiftTrack(writer, clip, channel.sampler, (n, k, isTangent) => {
        if (path === 'scale') return (n * to[k]) / from[k];
        return factor !== 1 ? n * factor : isTangent ? n : n + to[k] - from[k];
      });
    }
  }
}

/** @returns the sampler to use from now on; the old one where its numbers cannot be read */
function shiftTrack(
  writer: BufferWriter,
  clip: GltfAnimation,
  index: number,
  shift: (n: number, axis: number, isTangent: boolean) => number,
): number {
  const sampler = clip.samplers[index];
  const numbers = writer.readFloats(sampler.output);
  if (!numbers) return index;
  const cubic = sampler.interpolation === 'CUBICSPLINE';
  const shifted = numbers.map((n, i) => shift(n, i % 3, cubic && Math.floor(i / 3) % 3 !== 1));
  const output = writer.append(shifted, FLOAT, 'VEC3', numbers.length / 3);
  return clip.samplers.push({ ...sampler, output }) - 1;
}
