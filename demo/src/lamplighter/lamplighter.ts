import { anchorsOfPoints, type Drawing } from '@judoka/core/drawing';
import type { Character } from '@judoka/core/document';
import { asGlb, exportCharacter, openGlb, readCharacter, writeGlb } from '@judoka/core/formats';
import { addJoint, applySkeletonChange, setupOf, type Skeleton } from '@judoka/core/skeleton';
import { copyRow, createRows, type WeightRows } from '@judoka/core/weights';
import { makeWalk } from './walk.ts';
import { JOINTS, makeLamplighterDrawing, type JointName, PAGE_HEIGHT, PAGE_WIDTH } from './drawing.ts';

export interface LamplighterOptions {
  /** Plants what FAULTS.md lists. */
  readonly faults: boolean;
}

const PARENTS: Readonly<Record<JointName, JointName | undefined>> = {
  hips: undefined,
  spine: 'hips',
  chest: 'spine',
  neck: 'chest',
  head: 'neck',
  hat: 'head',
  shoulder_front: 'chest',
  elbow_front: 'shoulder_front',
  wrist_front: 'elbow_front',
  shoulder_back: 'chest',
  elbow_back: 'shoulder_back',
  wrist_back: 'elbow_back',
  pole: 'wrist_back',
  lantern: 'pole',
  hip_front: 'hips',
  knee_front: 'hip_front',
  ankle_front: 'knee_front',
  hip_back: 'hips',
  knee_back: 'hip_back',
  ankle_back: 'knee_back',
};
const NAMES = Object.keys(PARENTS) as JointName[];

/** Which joints a layer follows, one after the other along it; one alone for what stays stiff. */
const FOLLOWS: Readonly<Record<string, readonly JointName[]>> = {
  glow: ['lantern'],
  pole: ['pole'],
  lantern: ['lantern'],
  'arm back': ['shoulder_back', 'elbow_back'],
  'hand back': ['wrist_back'],
  'leg back': ['hip_back', 'knee_back'],
  'boot back': ['ankle_back'],
  'hand front': ['wrist_front'],
  'leg front': ['hip_front', 'knee_front'],
  'boot front': ['ankle_front'],
  'coat tail': ['hips'],
  coat: ['hips', 'spine', 'chest'],
  scarf: ['chest', 'neck'],
  head: ['head'],
  beard: ['head'],
  hat: ['hat'],
  'hat band': ['hat'],
  'arm front': ['shoulder_front', 'elbow_front', 'wrist_front'],
};

/** Half of the stretch over which one joint hands over to the next, in pixels of the page. */
const SOFT = 34;

/** The lamplighter with joints and weights, as a file that a flat character is kept in. */
export async function makeLamplighter({ faults }: LamplighterOptions): Promise<Uint8Array> {
  const container = openGlb(asGlb(new TextEncoder().encode(makeLamplighterDrawing(faults))));
  const character = await readCharacter(container);
  const { drawing } = character;
  if (!drawing) throw new Error('The lamplighter has no drawing.');
  const { scale } = drawing;
  const skeleton = makeSkeleton(character.skeleton, scale);
  const rows = character.parts.map((part, layer) => {
    const own = makeRows(part, FOLLOWS[part.name], scale);
    const anchors = anchorsOfPoints(drawing.layers[layer], part.vertexPoint, part.pointCount);
    anchors.forEach((anchor, p) => copyRow(own, anchor, own, p));
    return own;
  });
  if (faults) plantFaults(character, drawing, rows);
  const setups = Object.fromEntries(skeleton.joints.map((joint, j) => [j, setupOf(joint)]));
  const skinned = new Set(character.parts.keys());
  return writeGlb(exportCharacter(container, character, rows, { setups, skinned, clips: [makeWalk(NAMES)] }));
}

/** A place of the page in the scene. */
const inScene = (x: number, y: number, scale: number): [number, number, number] => [
  (x - PAGE_WIDTH / 2) * scale,
  (PAGE_HEIGHT - y) * scale,
  0,
];

function makeSkeleton(empty: Skeleton, scale: number): Skeleton {
  return NAMES.reduce((skeleton, name) => {
    const parent = PARENTS[name];
    const { x, y } = JOINTS[name];
    const above = parent === undefined ? -1 : NAMES.indexOf(parent);
    return applySkeletonChange(
      skeleton,
      addJoint(skeleton, `lamplighter-${name}`, above, name, inScene(x, y, scale)),
    );
  }, empty);
}

/** Along a layer each joint takes over from the one before it, softly about its place. */
function makeRows(
  { pointCount, positions }: { readonly pointCount: number; readonly positions: Float32Array },
  follows: readonly JointName[],
  scale: number,
): WeightRows {
  const rows = createRows(pointCount);
  for (let p = 0; p < pointCount; p++) {
    const shares = follows.map(() => 0);
    shares[0] = 1;
    for (let k = 1; k < follows.length; k++) {
      const past = handedOver(follows[k - 1], follows[k], positions[p * 3], positions[p * 3 + 1], scale);
      shares[k] = shares[k - 1] * past;
      shares[k - 1] *= 1 - past;
    }
    putRow(
      rows,
      p,
      follows.map((name, k) => [name, shares[k]] as const),
    );
  }
  return rows;
}

/** How much of a place is past a joint, on the way that leads to it from the one before and on along the limb. */
function handedOver(before: JointName, joint: JointName, x: number, y: number, scale: number): number {
  const [fromX, fromY] = inScene(JOINTS[before].x, JOINTS[before].y, scale);
  const [jointX, jointY] = inScene(JOINTS[joint].x, JOINTS[joint].y, scale);
  const next = NAMES.find((name) => PARENTS[name] === joint);
  const [toX, toY] = next
    ? inScene(JOINTS[next].x, JOINTS[next].y, scale)
    : [2 * jointX - fromX, 2 * jointY - fromY];
  const [ax, ay] = unit(jointX - fromX, jointY - fromY);
  const [bx, by] = unit(toX - jointX, toY - jointY);
  const [dx, dy] = unit(ax + bx, ay + by);
  const along = ((x - jointX) * dx + (y - jointY) * dy) / (SOFT * scale);
  const share = Math.max(0, Math.min(1, (along + 1) / 2));
  return share * share * (3 - 2 * share);
}

function unit(x: number, y: number): [number, number] {
  const length = Math.hypot(x, y) || 1;
  return [x / length, y / length];
}

function putRow(rows: WeightRows, p: number, shares: readonly (readonly [JointName, number])[]): void {
  const kept = shares.filter(([, share]) => share > 1e-4).sort((a, b) => b[1] - a[1]);
  const sum = kept.reduce((total, [, share]) => total + share, 0);
  for (let k = 0; k < rows.stride; k++) {
    rows.joints[p * rows.stride + k] = k < kept.length ? NAMES.indexOf(kept[k][0]) : 0;
    rows.values[p * rows.stride + k] = k < kept.length ? kept[k][1] / sum : 0;
  }
}

/** See FAULTS.md. */
function plantFaults({ parts }: Character, drawing: Drawing, rows: readonly WeightRows[]): void {
  const layer = (name: string) => {
    const part = parts.findIndex((each) => each.name === name);
    const { vertexPoint, pointCount, positions } = parts[part];
    const anchors = anchorsOfPoints(drawing.layers[part], vertexPoint, pointCount);
    const nearest = (x: number, y: number, fits: (p: number) => boolean): number => {
      const [toX, toY] = inScene(x, y, drawing.scale);
      const far = (p: number): number => Math.hypot(positions[p * 3] - toX, positions[p * 3 + 1] - toY);
      const found = [...anchors.keys()].filter(fits);
      return found.reduce((best, p) => (far(p) < far(best) ? p : best), found[0]);
    };
    return { rows: rows[part], anchors, nearest };
  };
  const front = layer('leg front');
  const { x, y } = JOINTS.knee_front;
  const knee = front.nearest(x - 27, y, (p) => front.anchors[p] === p);
  front.anchors.forEach((anchor, p) => {
    if (anchor === knee) putRow(front.rows, p, [['hip_front', 1]]);
  });
  const back = layer('leg back');
  const handle = back.nearest(JOINTS.knee_back.x + 24, JOINTS.knee_back.y + 30, (p) => back.anchors[p] !== p);
  putRow(back.rows, handle, [['spine', 1]]);
  const hand = layer('hand front').rows;
  for (let p = 0; p < hand.pointCount; p++) putRow(hand, p, [['hips', 1]]);
}
