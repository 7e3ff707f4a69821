import type { Document } from '@gltf-transform/core';
import { mat4 } from 'gl-matrix';
import { CoreError } from '../../errors.ts';
import { restWorld, fileJointId, sideOfName, type Joint, type Skeleton } from '../../skeleton/skeleton.ts';
import type { GltfJson, GltfNode } from './gltfJson.ts';
import { localMatrix, localParts } from './nodePlaces.ts';
import { readPlainNodes } from './readPlainNodes.ts';
import type { PlainNode } from '../../skeleton/plainNodes.ts';

/** The skeleton of a file, and the bind matrices of its skins seen from it. */
export interface SourceSkeleton {
  readonly skeleton: Skeleton;
  /** By skin: skeleton joint of each slot of its joint list. */
  readonly jointOfSlot: readonly (readonly number[])[];
  /** Inverse bind matrices of a skinned part; see CharacterPart.inverseBinds. */
  skinBinds(skin: number): Float32Array;
  /** The same for a part that hangs on a node: it moves with the joint above the node. */
  nodeBinds(node: number): Float32Array;
  /** The skeleton joint that the node is or hangs on; -1 for none. */
  jointAbove(node: number): number;
  /** The node itself or the nearest above it that is a joint or could be one; -1 for none. */
  hangsOn(node: number): number;
  /** Nodes that are no joints and could be. */
  readonly plainNodes: readonly PlainNode[];
  readonly notes: readonly string[];
}

/** Gathers the joints of all skins of the file, parents first, in the order in which the nodes are met from above. */
export function readSkeleton(document: Document, json: GltfJson): SourceSkeleton {
  const nodes = json.nodes ?? [];
  const parentNode = new Int32Array(nodes.length).fill(-1);
  nodes.forEach((node, n) => node.children?.forEach((child) => (parentNode[child] = n)));
  const isJoint = new Set((json.skins ?? []).flatMap((skin) => skin.joints));

  // 1. Joints, parents first.
  const joints: Joint[] = [];
  const jointOfNode = new Map<number, number>();
  const visit = (start: number): void => {
    const stack = [start];
    while (stack.length > 0) {
      const n = stack.pop() as number;
      if (isJoint.has(n)) {
        jointOfNode.set(n, joints.length);
        joints.push(readJoint(fileJointId(joints.length), nodes, parentNode, n, jointOfNode));
      }
      stack.push(...[...(nodes[n].children ?? [])].reverse());
    }
  };
  nodes.forEach((_, n) => {
    if (parentNode[n] < 0) visit(n);
  });
  const skeleton: Skeleton = { joints };
  const world = restWorld(skeleton);
  const plainNodes = readPlainNodes(json, parentNode, isJoint);
  const isPlain = new Set(plainNodes.map(({ node }) => node));
  const jointOfSlot = (json.skins ?? []).map((skin) => skin.joints.map((n) => jointOfNode.get(n) as number));

  const jointAbove = (node: number): number => {
    for (let n = node; n >= 0; n = parentNode[n]) {
      const joint = jointOfNode.get(n);
      if (joint !== undefined) return joint;
    }
    return -1;
  };
  return {
    skeleton,
    jointOfSlot,
    jointAbove,
    skinBinds: (skin) => skinBinds(document, skin, jointOfSlot[skin], world),
    nodeBinds: (node) => bindsFromPlace(nodeWorld(nodes, parentNode, node), world),
    hangsOn: (node) => {
      let n = node;
      while (n >= 0 && !isJoint.has(n) && !isPlain.has(n)) n = parentNode[n];
      return n;
    },
    plainNodes,
    notes: nameNotes(joints),
  };
}

function readJoint(
  id: string,
  nodes: readonly GltfNode[],
  parentNode: Int32Array,
  node: number,
  jointOfNode: ReadonlyMap<number, number>,
): Joint {
  const offset = mat4.create();
  let above = parentNode[node];
  while (above >= 0 && !jointOfNode.has(above)) {
    mat4.multiply(offset, localMatrix(nodes[above]), offset);
    above = parentNode[above];
  }
  const { translation, rotation, scale } = localParts(nodes[node]);
  const name = nodes[node].name || `joint ${node}`;
  const parent = above < 0 ? -1 : (jointOfNode.get(above) as number);
  const named = Boolean(nodes[node].name);
  return {
    id,
    name,
    named,
    parent,
    side: sideOfName(name),
    offset: [...offset],
    translation,
    rotation,
    scale,
    node,
  };
}

function nodeWorld(nodes: readonly GltfNode[], parentNode: Int32Array, node: number): mat4 {
  const world = mat4.create();
  for (let n = node; n >= 0; n = parentNode[n]) mat4.multiply(world, localMatrix(nodes[n]), world);
  return world;
}

/** Inverse binds that leave a part at `place` while the skeleton is at rest. */
function bindsFromPlace(place: mat4, world: Float32Array): Float32Array {
  const binds = new Float32Array(world.length + 16);
  const inverse = mat4.create();
  for (let at = 0; at < world.length; at += 16) {
    const invertible = mat4.invert(inverse, world.subarray(at, at + 16));
    mat4.multiply(binds.subarray(at, at + 16), invertible ? inverse : mat4.create(), place);
  }
  binds.set(place, world.length);
  return binds;
}

/**
 * The file's inverse bind matrices (identity where it has none, as the specification says). Joints outside the skin get
 * one that keeps the part where the skin's first joint has it at rest, so that they can be painted too.
 */
function skinBinds(
  document: Document,
  skin: number,
  joints: readonly number[],
  world: Float32Array,
): Float32Array {
  const accessor = document.getRoot().listSkins()[skin].getInverseBindMatrices();
  const own = joints.map((_, slot) => {
    const matrix = mat4.create();
    accessor?.getElement(slot, matrix as number[]);
    if (![...matrix].every(Number.isFinite)) {
      throw new CoreError(
        'file-invalid',
        `The file is damaged at skins[${skin}]: an inverse bind matrix is not a number.`,
        {
          where: `skins[${skin}]`,
        },
      );
    }
    return matrix;
  });
  const first = joints[0];
  const place = mat4.multiply(mat4.create(), world.subarray(first * 16, first * 16 + 16), own[0]);
  const binds = bindsFromPlace(place, world);
  joints.forEach((joint, slot) => binds.set(own[slot], joint * 16));
  return binds;
}

function nameNotes(joints: readonly Joint[]): string[] {
  const count = new Map<string, number>();
  for (const { name } of joints) count.set(name, (count.get(name) ?? 0) + 1);
  const shared = [...count].filter(([, times]) => times > 1).map(([name]) => name);
  if (shared.length === 0) return [];
  return [
    `${shared.length === 1 ? '1 joint name is' : `${shared.length} joint names are`} used more than once (${shared.slice(0, 3).join(', ')}).`,
  ];
}
