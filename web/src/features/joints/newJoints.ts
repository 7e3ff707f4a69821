import { CoreError } from '@judoka/core/errors';
import {
  addJoint,
  applySkeletonChange,
  freeJointName,
  jointsFromNodes,
  liveJoints,
  mirroredName,
  mirroredPlace,
  mirrorJoints,
  type Place,
  restPlaces,
  signOfLeft,
  type SkeletonChange,
} from '@judoka/core/skeleton';
import { countUnweighted, DeltaBuilder, type Change, createRows } from '@judoka/core/weights';
import type { Editing } from '../../scene/Editing.ts';

type At = Editing;

// New joints: click by click, their other sides, and what a file's plain nodes give.

/** What stands nearer to the middle of the body than this share of its size is meant to stand on it. */
const MIDDLE_SHARE = 0.015;
/** How far a name goes before its number. */
const NUMBER = /[_. -]?\d+$/;
const SIDE = /[_. -]?(?:l|r|left|right)$/i;

export interface NewJoint {
  /** What it hangs on; -1 for a root. */
  readonly parent: number;
  readonly place: Place;
  /** What the person calls new joints; empty for what fits. */
  readonly wish: string;
  /** Whether the other side is made too, and what is about on the middle stands on it. */
  readonly mirrored: boolean;
}

/** Adds a joint, with its other side where that is wanted, as one edit, and chooses it. */
export async function addJointAt(at: At, wanted: NewJoint): Promise<void> {
  const { document, scene } = at;
  const { skeleton, pairs } = document;
  const { parent, mirrored } = wanted;
  const off = wanted.place[pairs.axis] - pairs.middle;
  const isMiddle = Math.abs(off) < MIDDLE_SHARE * (document.size || 1);
  const place = isMiddle && mirrored ? onMiddle(wanted.place, pairs) : wanted.place;
  const side = isMiddle ? '' : off * signOfLeft(skeleton, restPlaces(skeleton), pairs) > 0 ? '_L' : '_R';
  const names = new Set(liveJoints(skeleton).map((joint) => skeleton.joints[joint].name));
  const name = nameOf(at, wanted, side, names);
  const own = addJoint(skeleton, crypto.randomUUID(), parent, name, place);
  const joints = isMiddle || !mirrored ? own : withOtherSide(at, own, parent, place, name, names);
  await document.perform(`Add joint ${name}`, { joints });
  scene.chooseJoint(own[0].joint);
}

function withOtherSide(
  { document: { skeleton, pairs } }: At,
  own: SkeletonChange,
  parent: number,
  place: Place,
  name: string,
  names: Set<string>,
): SkeletonChange {
  const partner = parent >= 0 ? pairs.partner[parent] : -1;
  const other = partner >= 0 ? partner : parent;
  const called = freeJointName(names, mirroredName(name) ?? name);
  const next = applySkeletonChange(skeleton, own);
  return [...own, ...addJoint(next, crypto.randomUUID(), other, called, mirroredPlace(place, pairs))];
}

const onMiddle = (place: Place, { axis, middle }: { axis: number; middle: number }): Place => [
  axis === 0 ? middle : place[0],
  axis === 1 ? middle : place[1],
  axis === 2 ? middle : place[2],
];

/** As the person says; else a root is called so, and a chain goes on counting from its first joint's name. */
function nameOf({ document }: At, { parent, wish }: NewJoint, side: string, taken: Set<string>): string {
  const above = parent >= 0 ? document.jointName(parent).replace(SIDE, '') : '';
  const isRoot = parent < 0 || document.skeleton.joints[parent].parent < 0;
  const base =
    wish.trim().replace(SIDE, '') || (parent < 0 ? 'root' : isRoot ? 'joint' : above.replace(NUMBER, ''));
  if (!taken.has(base + side)) {
    taken.add(base + side);
    return base + side;
  }
  let number = 2;
  while (taken.has(`${base}_${number}${side}`)) number++;
  taken.add(`${base}_${number}${side}`);
  return `${base}_${number}${side}`;
}

/** Makes the other side of joints and of what hangs below them. */
export async function makeOtherSide(at: At, chosen: readonly number[]): Promise<void> {
  const { document } = at;
  const tolerance = MIDDLE_SHARE * (document.size || 1);
  const newId = (): string => crypto.randomUUID();
  const joints = mirrorJoints(document.skeleton, chosen, document.pairs, tolerance, newId);
  const name = document.jointName(chosen[0]);
  await document.perform(`Make the other side of ${name}`, { joints });
}

/** Whether a joint, or one below it, has no other side and could have one. */
export function lacksOtherSide({ document }: At, joint: number): boolean {
  const { pairs } = document;
  const off = Math.abs(document.restPlace(joint)[pairs.axis] - pairs.middle);
  return (
    off >= MIDDLE_SHARE * (document.size || 1) && (pairs.partner[joint] < 0 || pairs.partner[joint] === joint)
  );
}

/** Nodes of the file that could be joints and are none. */
export function freeNodes({ document: { character, skeleton } }: At) {
  const used = new Set(liveJoints(skeleton).map((joint) => skeleton.joints[joint].node));
  return character.plainNodes.filter(({ node }) => !used.has(node));
}

/** Makes joints of the file's plain nodes; parts without weights follow the node that they hang on, as they did. */
export async function makeJointsOfNodes(at: At): Promise<void> {
  const { document } = at;
  const joints = jointsFromNodes(document.skeleton, document.character.plainNodes);
  const next = applySkeletonChange(document.skeleton, joints);
  const jointOfNode = new Map(next.joints.map(({ node }, joint) => [node, joint]));
  const weights: Change = document.parts.flatMap(({ index, part, rows }) => {
    const joint = jointOfNode.get(part.source.hangsOn ?? -1);
    if (joint === undefined || countUnweighted(rows) < rows.pointCount) return [];
    const after = createRows(1, rows.stride);
    [after.joints[0], after.values[0]] = [joint, 1];
    const builder = new DeltaBuilder(index, rows.stride, rows.pointCount);
    for (let p = 0; p < rows.pointCount; p++) builder.push(p, rows, p, after, 0);
    return [builder.finish()];
  });
  await document.perform(`Make joints of ${joints.length} nodes`, { joints, weights });
}

/** What the next joint hangs on: the chosen one; nothing, where there is no joint yet. */
export function parentOfNext({ document, scene }: At): number {
  if (scene.joint >= 0) return scene.joint;
  if (liveJoints(document.skeleton).length === 0) return -1;
  throw new CoreError(
    'argument-invalid',
    'Choose the joint that the new one hangs on, then click on the body.',
  );
}
