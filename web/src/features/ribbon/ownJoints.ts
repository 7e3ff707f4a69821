import { chainPlaces, PartLook } from '@judoka/core/deform';
import { carryingRibbons, itemPath, type SavedRibbon } from '@judoka/core/document';
import { type Clip, frameCount, frameSeconds, sampleClip } from '@judoka/core/animation';
import { growOwnJoints, weighOwnJoints } from '@judoka/core/operations/ribbon';
import type { Pose } from '@judoka/core/skeleton';
import { carriedClips } from '../../document/carriedClips.ts';
import { chainsOf } from '../../document/laidRibbons.ts';
import { nextTurn } from '../../document/turns.ts';
import type { Editing } from '../../scene/Editing.ts';
import { rulesOf } from '../../scene/scope.ts';
import { layOne, lookWith, type OwnRibbon } from './ribbons.ts';

/** How far a part that hangs on a ribbon's own joints is off the ribbon in clips, scene units. */
export interface OwnJointsError {
  readonly rms: number;
  readonly greatest: number;
  readonly clips: number;
}

/** Frames that the part is compared in, over all clips. */
const COMPARED_FRAMES = 48;

export const hasOwnJoints = ({ document }: Editing, ribbon: SavedRibbon): boolean =>
  carryingRibbons(document.skeleton, [ribbon]).length > 0;

/**
 * Gives a ribbon joints of its own, hangs on them what it holds of its part, and switches it off: one edit. Where it has some
 * already its part is hung on those anew.
 */
export async function giveOwnJoints(
  at: Editing,
  { id, ...ribbon }: OwnRibbon,
  count: number,
  limit: number,
): Promise<void> {
  const { document, scene } = at;
  const poser = layOne(at, { id, ...ribbon });
  if (!poser) return;
  const isThere = hasOwnJoints(at, ribbon);
  const newId = (): string => crypto.randomUUID();
  const name = `${document.jointName(ribbon.joints[0])}_ribbon`;
  const chain = chainPlaces(chainsOf(document), ribbon.joints);
  const joints = isThere ? [] : growOwnJoints(document.skeleton, ribbon, chain, count, name, newId);
  const ownJoints = isThere ? (ribbon.ownJoints ?? []) : joints.map(({ joint }) => joint);
  const { rows } = scene.parts[ribbon.part].skin;
  const delta = weighOwnJoints(ribbon.part, rows, poser.laid, ownJoints, rulesOf(at, limit));
  const label = isThere
    ? `Hang ${document.partName(ribbon.part)} on the joints of ${ribbon.name}`
    : `Give ${ribbon.name} ${count} joints of its own`;
  await document.perform(label, {
    joints,
    weights: delta.points.length > 0 ? [delta] : [],
    values: [
      {
        path: itemPath('ribbons', id),
        before: document.values[itemPath('ribbons', id)],
        after: { ...ribbon, ownJoints: [...ownJoints], isOff: true },
      },
    ],
  });
}

/** How near a part that hangs on a ribbon's own joints comes to the ribbon; undefined without clips. */
export async function offFromRibbon(
  at: Editing,
  ribbon: OwnRibbon,
  isOver: () => boolean,
): Promise<OwnJointsError | undefined> {
  const { document, scene } = at;
  const off: OwnRibbon = { ...ribbon, isOff: true };
  const poser = layOne(at, off);
  const clips = carriedClips(document);
  const poses = posesOf(clips);
  if (!poser || poses.length === 0) return undefined;
  const character = { ...document.bound.character, rows: scene.parts.map(({ skin }) => skin.rows) };
  const { skinning } = document.settings;
  // What else is looked at in another way than engines do is not the ribbon's.
  const { ribbons } = lookWith(at, off, poser);
  const [held, plain] = [
    await PartLook.create(character, ribbon.part, { skinning, ...(ribbons && { ribbons }) }),
    await PartLook.create(character, ribbon.part, { skinning }),
  ];
  const { amounts } = poser.laid;
  const points = Uint32Array.from(amounts.keys()).filter((p) => amounts[p] > 0);
  let [squares, greatest] = [0, 0];
  for (const pose of poses) {
    await nextTurn();
    if (isOver()) return undefined;
    const [a, b] = [held.at(pose).positions, plain.at(pose).positions];
    for (const p of points) {
      let square = 0;
      for (let k = p * 3; k < p * 3 + 3; k++) square += (a[k] - b[k]) ** 2;
      squares += square;
      greatest = Math.max(greatest, square);
    }
  }
  return {
    rms: Math.sqrt(squares / Math.max(1, points.length * poses.length)),
    greatest: Math.sqrt(greatest),
    clips: clips.length,
  };
}

/** Frames of all clips, evenly. */
function posesOf(clips: readonly Clip[]): Pose[] {
  const frames = clips.flatMap((clip) =>
    Array.from({ length: frameCount(clip) }, (_, frame) => [clip, frame] as const),
  );
  const step = Math.max(1, frames.length / COMPARED_FRAMES);
  return Array.from({ length: Math.ceil(frames.length / step) }, (_, i) => {
    const [clip, frame] = frames[Math.floor(i * step)];
    return sampleClip(clip, frameSeconds(clip, frame));
  });
}
