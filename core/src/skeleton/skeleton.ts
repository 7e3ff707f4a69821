import { mat4 } from 'gl-matrix';
import { CoreError } from '../errors.ts';

export type Side = 'left' | 'right' | 'middle';

/**
 * A joint of a character. A file's joints come parents first; joints that were added or reparented since need not.
 *
 * A joint's world matrix is parent world · `offset` · T · R · S, where `offset` holds the nodes of the file that stand
 * between a joint and its parent joint (identity where there are none), and T, R, S are the joint node's own.
 */
export interface Joint {
  /** What the joint is known by, whatever its name and number: no two people give the same one. */
  readonly id: string;
  readonly name: string;
  /** False where the file gives no name and one was made up. */
  readonly named: boolean;
  /** Index of the parent joint; -1 for a root. */
  readonly parent: number;
  readonly side: Side;
  /** Column-major, 16 numbers. */
  readonly offset: readonly number[];
  readonly translation: readonly [number, number, number];
  /** Unit quaternion x, y, z, w. */
  readonly rotation: readonly [number, number, number, number];
  readonly scale: readonly [number, number, number];
  /** The file's node; -1 for a joint that was added here. */
  readonly node: number;
  /** True for a joint that was taken out. It keeps its index, so that the others keep theirs; nothing shows it. */
  readonly removed?: boolean;
}

export interface Skeleton {
  readonly joints: readonly Joint[];
}

/** The id of the joint that a file has at an index. */
export const fileJointId = (index: number): string => `joint:${index}`;

/** The id of a joint that was made of a plain node of the file. */
export const nodeJointId = (node: number): string => `node:${node}`;

/** The node that a joint was made of, as its id says; -1 for none. */
export function nodeOfJointId(id: string): number {
  const found = /^node:(\d{1,9})$/.exec(id);
  return found ? Number(found[1]) : -1;
}

export const EMPTY_SKELETON: Skeleton = { joints: [] };

/** Children of each joint. */
export function childrenOf({ joints }: Skeleton): number[][] {
  const children: number[][] = joints.map(() => []);
  joints.forEach((joint, index) => {
    if (joint.parent >= 0) children[joint.parent].push(index);
  });
  return children;
}

/** The joints that are there: all that were not removed. */
export function liveJoints({ joints }: Skeleton): number[] {
  return [...joints.keys()].filter((joint) => !joints[joint].removed);
}

const orders = new WeakMap<readonly Joint[], Uint16Array>();

/**
 * All joints, each behind its parent; as they stand where that is so already.
 * @throws CoreError argument-invalid if a joint is its own ancestor
 */
export function parentsFirst({ joints }: Skeleton): Uint16Array {
  const known = orders.get(joints);
  if (known) return known;
  const order = new Uint16Array(joints.length);
  const placed = new Uint8Array(joints.length);
  let count = 0;
  const place = (joint: number): void => {
    const above: number[] = [];
    for (let j = joint; j >= 0 && !placed[j]; j = joints[j].parent) {
      if (above.length >= joints.length)
        throw new CoreError('argument-invalid', 'A joint cannot hang below itself.', { joint });
      above.push(j);
    }
    for (const j of above.reverse()) {
      placed[j] = 1;
      order[count++] = j;
    }
  };
  for (let joint = 0; joint < joints.length; joint++) place(joint);
  orders.set(joints, order);
  return order;
}

/** The joint and everything below it, parents first. */
export function subtreeOf(skeleton: Skeleton, joint: number): number[] {
  const inside = new Set([joint]);
  for (const index of parentsFirst(skeleton))
    if (inside.has(skeleton.joints[index].parent)) inside.add(index);
  return [...inside];
}

/** Marks the joints above those that are marked, in place. @param marks Uint8Array, jointCount: not 0 is marked */
export function markAncestors(skeleton: Skeleton, marks: Uint8Array): void {
  for (const joint of [...parentsFirst(skeleton)].reverse()) {
    const { parent } = skeleton.joints[joint];
    if (marks[joint] && parent >= 0) marks[parent] = 1;
  }
}

/** Where joints stand at rest: Float32Array, 3·jointCount. */
export function restPlaces(skeleton: Skeleton): Float32Array {
  const world = restWorld(skeleton);
  return Float32Array.from(
    { length: skeleton.joints.length * 3 },
    (_, i) => world[Math.floor(i / 3) * 16 + 12 + (i % 3)],
  );
}

/** World matrices at rest: Float32Array, 16·jointCount. */
export function restWorld(skeleton: Skeleton): Float32Array {
  const world = new Float32Array(skeleton.joints.length * 16);
  const local = mat4.create();
  for (const index of parentsFirst(skeleton)) {
    const joint = skeleton.joints[index];
    mat4.fromRotationTranslationScale(local, joint.rotation, joint.translation, joint.scale);
    const at = world.subarray(index * 16, index * 16 + 16);
    mat4.multiply(at, joint.offset, local);
    if (joint.parent >= 0) mat4.multiply(at, world.subarray(joint.parent * 16, joint.parent * 16 + 16), at);
  }
  return world;
}

const SIDE_PATTERN = /(?:^|[\s_.:|-])(l|r|left|right)(?=$|[\s_.:|\d-])/i;
const SIDE_PREFIX = /(Left|Right)(?=[A-Z])|(?:[a-z\d])(Left|Right)(?=$|[_.\d])|^([LR])(?=[A-Z][a-z])/;

/** A name with its side exchanged for the other, written as it was; undefined where it tells none. */
export function otherSideName(name: string): string | undefined {
  const match = SIDE_PATTERN.exec(name) ?? SIDE_PREFIX.exec(name);
  const word = match?.[1] ?? match?.[2] ?? match?.[3];
  if (!match || word === undefined) return undefined;
  const at = match.index + match[0].indexOf(word);
  const other = OTHER_SIDES[word.toLowerCase()];
  const isUpper = (letter: string): boolean => letter !== letter.toLowerCase();
  const written = Array.from(other, (letter, i) =>
    isUpper(word[Math.min(i, word.length - 1)]) ? letter.toUpperCase() : letter,
  );
  return name.slice(0, at) + written.join('') + name.slice(at + word.length);
}

const OTHER_SIDES: Readonly<Record<string, string>> = { l: 'r', r: 'l', left: 'right', right: 'left' };

/** The side that a joint's name tells, in the spellings that files use (`wing_l`, `L.wing`, `LeftWing`, `LWing`, `wing.R`). */
export function sideOfName(name: string): Side {
  const match = SIDE_PATTERN.exec(name) ?? SIDE_PREFIX.exec(name);
  const word = (match?.[1] ?? match?.[2] ?? match?.[3] ?? '').toLowerCase();
  if (word.startsWith('l')) return 'left';
  if (word.startsWith('r')) return 'right';
  return 'middle';
}
