import type { PartFollows } from './partFollows.ts';
import type { RelaxedLook } from './relaxedLook.ts';
import type { Limits } from '../animation/motionRange.ts';
import type { LayerOutlines } from '../drawing/layerOutlines.ts';
import type { MeshChange } from '../mesh/meshChange.ts';
import type { MovedBlocks } from './movedPoints.ts';
import type { Falloff } from '../math/falloff.ts';
import type { JointPose, Pose } from '../skeleton/pose.ts';
import type { SavedCage } from './cages.ts';
import type { Json } from './json.ts';
import type { OrderRule } from './layerOrder.ts';
import type { IdSection } from './paths.ts';
import type { SavedRibbon } from './ribbons.ts';
import type { SavedShape, SavedShapes } from './shapes.ts';
import type { DocumentValues } from './values.ts';

/** Axes of the scene that may lead up; y is the format's own. */
export const UP_DIRECTIONS = ['y', '-y', 'z', '-z', 'x', '-x'] as const;
export type UpDirection = (typeof UP_DIRECTIONS)[number];

/** How far a joint reaches about its bones, in scene units: all of its strength within `inner`, none beyond `outer`. */
export interface JointReach {
  readonly inner: number;
  readonly outer: number;
  /** 0 to 1. */
  readonly strength: number;
  /** How it fades from `inner` to `outer`. */
  readonly falloff: Falloff;
}

/** A part that was split off another one: the islands that these points lie on. */
export interface PartPiece {
  readonly id: string;
  readonly name: string;
  readonly seeds: readonly number[];
  /** When it was split off, in milliseconds since 1970: the order in which pieces are listed. */
  readonly savedAt?: number;
}

/** Weight that was reported as stray and is meant. */
export interface StrayPoints {
  readonly part: number;
  readonly joint: number;
  readonly points: readonly number[];
}

/** Points under a name; they are kept apart as an attachment: a frame with the parts and a blob of points for each. */
export interface SavedSelection {
  readonly name: string;
  readonly attachment: string;
  /** When it was saved, in milliseconds since 1970: the order in which such things are listed. */
  readonly savedAt: number;
}

/** Amounts of points, 0 to 1, under a name; kept apart as an attachment, a new one for each change. */
export type SavedMask = SavedSelection;

export interface SavedPose {
  readonly name: string;
  /** By joint number. */
  readonly joints: Pose;
  /** Attachment with a small picture of it. */
  readonly picture: string | null;
  /** The joint whose bend it shows. */
  readonly joint: number | null;
  /** The folder that it is kept in; that of its joint where it is missing. */
  readonly folder?: string;
  readonly savedAt: number;
}

/** A motion that was dropped on the character; its file is an attachment. */
export interface SavedMotion {
  readonly name: string;
  readonly attachment: string;
  /** Joint of the character → joint of the motion that it follows; -1 for none. */
  readonly follows: Readonly<Record<number, number>>;
  readonly savedAt: number;
}

/** A point of the history under a name. */
export interface SavedMoment {
  readonly name: string;
  /** The edit that named it: the moment is the character as it was then. */
  readonly edit: string;
  readonly savedAt: number;
}

export type WithId<T> = T & { readonly id: string };

/** A document's values by what they are. */
export interface DocumentSettings {
  readonly locks: ReadonlySet<number>;
  readonly nonDeforming: ReadonlySet<number>;
  readonly pairs: Readonly<Record<number, number>>;
  readonly confines: Readonly<Record<number, string>>;
  readonly reaches: Readonly<Record<number, JointReach>>;
  readonly ranges: Readonly<Record<number, Limits>>;
  readonly pose: Pose;
  /** By saved pose: how much of it is in the pose. */
  readonly dials: Readonly<Record<string, number>>;
  readonly shapes: SavedShapes;
  /** By shape: how much of it is on the character, where a person has said so. */
  readonly shapeAmounts: Readonly<Record<string, number>>;
  readonly partNames: Readonly<Record<number, string>>;
  readonly rigidParts: ReadonlySet<number>;
  /** Parts that have weights though the file gives them none. */
  readonly skinnedParts: ReadonlySet<number>;
  /** By part: the distance, in part space, within which its points are one. */
  readonly welds: Readonly<Record<number, number>>;
  /** By part: whose surface it follows. */
  readonly follows: Readonly<Record<number, PartFollows | undefined>>;
  /** By layer of a drawing, how its outlines differ from the file's. */
  readonly outlines: Readonly<Record<number, LayerOutlines | undefined>>;
  /** By part behind those of the file: the cage that it is. */
  readonly cages: Readonly<Record<number, SavedCage | undefined>>;
  /** By part, how its mesh differs from the file's. */
  readonly meshes: Readonly<Record<number, MeshChange | undefined>>;
  /** By part, how far its points are moved at rest. */
  readonly moved: Readonly<Record<number, MovedBlocks | undefined>>;
  /** By part. */
  readonly pieces: Readonly<Record<number, readonly PartPiece[]>>;
  readonly skinning: 'linear' | 'dual';
  /** How the skinned surface is relaxed; undefined where it is not. */
  readonly relaxing: RelaxedLook | undefined;
  /** Which way is up in the scene. */
  readonly up: UpDirection;
  /** Layers of a drawing from back to front; empty where they lie as in the file. */
  readonly order: readonly number[];
  readonly orderRules: readonly WithId<OrderRule>[];
  readonly ribbons: readonly WithId<SavedRibbon>[];
  readonly dismissed: readonly WithId<StrayPoints>[];
  readonly selections: readonly WithId<SavedSelection>[];
  readonly masks: readonly WithId<SavedMask>[];
  readonly poses: readonly WithId<SavedPose>[];
  readonly motions: readonly WithId<SavedMotion>[];
  readonly moments: readonly WithId<SavedMoment>[];
}

/** Reads values that were checked when they came in; what a section is not known for is passed over. */
export function readSettings(values: DocumentValues): DocumentSettings {
  const locks = new Set<number>();
  const nonDeforming = new Set<number>();
  const rigidParts = new Set<number>();
  const skinnedParts = new Set<number>();
  const partNames: Record<number, string> = {};
  const welds: Record<number, number> = {};
  const follows: Record<number, PartFollows> = {};
  const outlines: Record<number, LayerOutlines> = {};
  const cages: Record<number, SavedCage> = {};
  const meshes: Record<number, MeshChange> = {};
  const moved: Record<number, Record<number, string>> = {};
  const pieces: Record<number, PartPiece[]> = {};
  const byJoint = { pairs: {}, confines: {}, reaches: {}, ranges: {}, pose: {} } as Record<
    string,
    Record<number, Json>
  >;
  const items = {
    dismissed: [],
    selections: [],
    masks: [],
    poses: [],
    motions: [],
    moments: [],
    orderRules: [],
    ribbons: [],
  } as Record<string, (Json & { savedAt?: number })[]>;
  const dials: Record<string, number> = {};
  const shapes: Record<string, SavedShape> = {};
  const shapeAmounts: Record<string, number> = {};
  let skinning: DocumentSettings['skinning'] = 'linear';
  let relaxing: RelaxedLook | undefined;
  let up: UpDirection = 'y';
  let order: readonly number[] = [];
  for (const [path, value] of Object.entries(values)) {
    const [section, key, field] = path.split('/');
    if (section === 'locks') locks.add(Number(key));
    else if (section === 'nonDeforming') nonDeforming.add(Number(key));
    else if (section === 'skinning') skinning = value === 'dual' ? 'dual' : 'linear';
    else if (section === 'relaxing') relaxing = value as unknown as RelaxedLook;
    else if (section === 'dials') dials[key] = value as number;
    else if (section === 'shapes') shapes[key] = value as SavedShape;
    else if (section === 'shapeAmounts') shapeAmounts[key] = value as number;
    else if (section === 'up') up = UP_DIRECTIONS.find((each) => each === value) ?? 'y';
    else if (section === 'order') order = Array.isArray(value) ? (value as number[]) : [];
    else if (section === 'pieces')
      (pieces[Number(key)] ??= []).push({ ...(value as unknown as PartPiece), id: field });
    else if (section === 'parts' && field === 'name') {
      if (typeof value === 'string') partNames[Number(key)] = value;
    } else if (section === 'parts' && field === 'weld') welds[Number(key)] = value as number;
    else if (section === 'parts' && field === 'follows')
      follows[Number(key)] = value as unknown as PartFollows;
    else if (section === 'parts' && field === 'outlines')
      outlines[Number(key)] = value as unknown as LayerOutlines;
    else if (section === 'parts' && field === 'cage') cages[Number(key)] = value as unknown as SavedCage;
    else if (section === 'parts' && field === 'mesh') meshes[Number(key)] = value as unknown as MeshChange;
    else if (section === 'moved') (moved[Number(key)] ??= {})[Number(field)] = value as string;
    else if (section === 'parts') (value === 'skinned' ? skinnedParts : rigidParts).add(Number(key));
    else if (section in byJoint) byJoint[section][Number(key)] = value;
    else if (section in items) items[section].push({ ...(value as Readonly<Record<string, Json>>), id: key });
  }
  for (const list of Object.values(items))
    list.sort((a, b) => ((a as Saved).savedAt ?? 0) - ((b as Saved).savedAt ?? 0));
  for (const list of Object.values(pieces)) list.sort(inOrder);
  return {
    locks,
    nonDeforming,
    rigidParts,
    skinnedParts,
    partNames,
    welds,
    follows,
    outlines,
    cages,
    meshes,
    moved,
    pieces,
    skinning,
    relaxing,
    dials,
    shapes,
    shapeAmounts,
    up,
    order,
    ...(byJoint as unknown as Pick<DocumentSettings, 'pairs' | 'confines' | 'reaches' | 'ranges' | 'pose'>),
    ...(items as unknown as Pick<DocumentSettings, IdSection>),
  };
}

interface Saved {
  readonly savedAt?: number;
}

/** As they were split off; those of before that was kept, by name. */
const inOrder = (a: PartPiece, b: PartPiece): number =>
  (a.savedAt ?? 0) - (b.savedAt ?? 0) || a.name.localeCompare(b.name, 'en', { numeric: true });

/** Paths that put a pose on the stage instead of the one that is there. */
export function posePaths(before: Pose, after: Pose): Record<string, Json> {
  const paths: Record<string, Json> = {};
  for (const joint of Object.keys(before)) paths[`pose/${joint}`] = null;
  for (const [joint, pose] of Object.entries(after)) paths[`pose/${joint}`] = pose as JointPose & Json;
  return paths;
}
