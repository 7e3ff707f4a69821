import { z } from 'zod';

export const accountAnswer = z.object({ id: z.uuid(), name: z.string() });
export type Account = z.infer<typeof accountAnswer>;

/** The most that may be sent for one character, in bytes. */
export const UPLOAD_LIMIT_BYTES = 256 * 1024 * 1024;

export const characterName = z.string().trim().min(1).max(120);

/** A character on the shelf. */
export const characterCard = z.object({
  id: z.uuid(),
  name: z.string(),
  parts: z.number().int(),
  points: z.number().int(),
  joints: z.number().int(),
  /** Sentences on what is wrong with its weights now. */
  troubles: z.array(z.string()),
  /** Sentences on what was found, and put right, when it came. */
  arrival: z.array(z.string()),
  touchedAt: z.iso.datetime({ offset: true }),
});
export type CharacterCard = z.infer<typeof characterCard>;
export const shelfAnswer = z.object({ characters: z.array(characterCard) });

export const uploadQuery = z.object({ name: characterName });
export const characterChange = z
  .object({ name: characterName, removed: z.boolean() })
  .partial()
  .refine((change) => Object.keys(change).length > 0, 'name or removed is needed');

const finite = z.number().refine(Number.isFinite);
export const jointPose = z.object({
  rotation: z.tuple([finite, finite, finite, finite]),
  translation: z.tuple([finite, finite, finite]),
  scale: z.tuple([finite, finite, finite]),
});
/** Joint index → what it does away from rest. */
export const poseBody = z.object({ joints: z.record(z.string().regex(/^\d{1,4}$/), jointPose) });
export const locksBody = z.object({ joints: z.array(z.number().int().min(0).max(4095)).max(4096) });

const triple = z.tuple([finite, finite, finite]).readonly();
/** How a joint stands at rest; see core's JointSetup. */
export const jointSetup = z.object({
  name: z.string().min(1).max(1000),
  parent: z.number().int().min(-1).max(4095),
  offset: z.array(finite).length(16).readonly(),
  translation: triple,
  rotation: z.tuple([finite, finite, finite, finite]).readonly(),
  scale: triple,
});
/** Joints that differ from the file: by index; null for one that was taken out. */
export const jointSetups = z.record(z.string().regex(/^\d{1,4}$/), jointSetup.nullable());
export const skeletonChange = z
  .array(
    z.object({
      joint: z.number().int().min(0).max(4095),
      before: jointSetup.nullable(),
      after: jointSetup.nullable(),
    }),
  )
  .max(4096)
  .readonly();

export const historyEntry = z.object({
  id: z.uuid(),
  kind: z.enum(['edit', 'undo', 'redo']),
  label: z.string().min(1).max(200),
  target: z.uuid().optional(),
});

/** A line of the log with what it did to joints; an undo's and a redo's is its target's. */
export const editEntry = historyEntry.extend({ joints: skeletonChange.optional() });
export type EditEntry = z.infer<typeof editEntry>;

const jointKey = z.string().regex(/^\d{1,4}$/);
const jointIndex = z.number().int().min(0).max(4095);
const amount = z.number().min(0).max(1);

/** A capsule about a joint's bones, in scene units. */
export const jointReach = z.object({
  inner: z.number().min(0).max(1e9),
  outer: z.number().min(0).max(1e9),
  strength: amount,
  falloff: z.enum(['smooth', 'round', 'linear', 'sharp', 'flat']).default('smooth'),
});

/** A part that was split off another one: the islands that these points lie on. */
export const partPiece = z.object({
  name: z.string().trim().min(1).max(120),
  seeds: z.array(z.number().int().min(0)).min(1).max(20000),
  visible: z.boolean(),
});
export type PartPiece = z.infer<typeof partPiece>;

export const partSettings = z.object({
  name: z.string().trim().min(1).max(120).optional(),
  /** `rigid`: bindings give the whole part to one joint. */
  role: z.enum(['skinned', 'rigid']).optional(),
  pieces: z.array(partPiece).max(2000).optional(),
});
export type PartSettings = z.infer<typeof partSettings>;

/** Least and greatest angle of a joint's range, in degrees. */
const turnLimits = z.tuple([z.number().min(-360).max(0), z.number().min(0).max(360)]).readonly();
export const jointLimits = z.object({ bend: turnLimits, side: turnLimits, twist: turnLimits });

/** Weight that was reported as stray and is meant. */
export const dismissedStray = z.object({
  part: z.number().int().min(0).max(4095),
  joint: z.number().int().min(0).max(4095),
  points: z.array(z.number().int().min(0)).min(1).max(200_000),
});
export type DismissedStray = z.infer<typeof dismissedStray>;

/** How a character is worked on. */
export const characterSettings = z.object({
  /** Partners that a person has set, by joint; itself for the middle, -1 for none. */
  pairs: z.record(jointKey, z.number().int().min(-1).max(4095)).default({}),
  /** Joints that may only weigh on a saved selection, by its id. */
  confines: z.record(jointKey, z.uuid()).default({}),
  reaches: z.record(jointKey, jointReach).default({}),
  /** By part. */
  parts: z.record(jointKey, partSettings).default({}),
  /** How the surface follows the joints: matrices blended, or dual quaternions. */
  skinning: z.enum(['linear', 'dual']).default('linear'),
  /** Ranges of motion that a person has set, by joint. */
  ranges: z.record(jointKey, jointLimits).default({}),
  dismissed: z.array(dismissedStray).max(2000).default([]),
});
export type CharacterSettings = z.infer<typeof characterSettings>;

export const pictureAddress = z
  .string()
  .max(200_000)
  .regex(/^data:image\/png;base64,[A-Za-z0-9+/=]+$/);
/** A pose that is kept under a name. */
export const keptPose = z.object({
  id: z.uuid(),
  name: characterName,
  joints: poseBody.shape.joints,
  picture: pictureAddress.nullable(),
  /** The joint whose bend it shows: poses are sorted by it. */
  joint: jointIndex.nullable().default(null),
});
export type KeptPose = z.infer<typeof keptPose>;
export const keptPoses = z.object({ poses: z.array(keptPose) });
export const newPose = keptPose.omit({ id: true });
export const poseChange = newPose
  .partial()
  .refine((change) => Object.keys(change).length > 0, 'name, joints or picture is needed');
export type PoseChange = z.infer<typeof poseChange>;

/** The largest motion, in bytes. */
export const MOTION_LIMIT_BYTES = 64 * 1024 * 1024;
/** Joint of the character → joint of a motion that it follows; -1 for none. */
export const motionFollows = z.record(jointKey, z.number().int().min(-1).max(4095));
/** A motion that was dropped on a character; its text is fetched apart. */
export const keptMotion = z.object({
  id: z.uuid(),
  name: characterName,
  follows: motionFollows,
});
export type KeptMotion = z.infer<typeof keptMotion>;
export const keptMotions = z.object({ motions: z.array(keptMotion) });
export const motionQuery = z.object({ name: characterName });
export const motionChange = keptMotion
  .omit({ id: true })
  .partial()
  .refine((change) => Object.keys(change).length > 0, 'name or follows is needed');
export type MotionChange = z.infer<typeof motionChange>;
export const motionParams = z.object({ id: z.uuid(), motion: z.uuid() });

/** Header of a frame with saved selections; the blobs are u32 points, one a part, selection by selection. */
export const selectionsHeader = z.object({
  selections: z.array(z.object({ id: z.uuid(), name: characterName, parts: z.array(jointIndex).max(4096) })),
});
/** Header of a frame with a selection to save; a blob of u32 points a part. */
export const newSelection = z.object({ name: characterName, parts: z.array(jointIndex).min(1).max(4096) });
export const selectionParams = z.object({ id: z.uuid(), selection: z.uuid() });
export const poseParams = z.object({ id: z.uuid(), pose: z.uuid() });
export const nameBody = z.object({ name: characterName });

/** What the bench needs to open a character; geometry comes from its source, weights as a frame. */
export const characterAnswer = characterCard.extend({
  head: z.number().int(),
  history: z.array(historyEntry),
  pose: poseBody.shape.joints,
  locks: z.array(z.number().int()),
  /** Joints whose deforming is off. */
  still: z.array(z.number().int()),
  settings: characterSettings,
});
export type CharacterAnswer = z.infer<typeof characterAnswer>;

/** Header of a frame of edits; the frame's blobs are the deltas of the entries of kind `edit`, in order. */
export const editsHeader = z.object({
  /** The head that the first of these was made on. */
  base: z.number().int().min(0),
  entries: z.array(editEntry).min(1).max(500),
});
export type EditsHeader = z.infer<typeof editsHeader>;
export const editsAnswer = z.object({ head: z.number().int() });

/** Header of a frame with the edits after a head; blobs as above. */
export const laterEditsHeader = z.object({ head: z.number().int(), entries: z.array(editEntry) });

/** Header of a frame with the weights at a head, and how the joints stand there. */
export const weightsHeader = z.object({ head: z.number().int(), joints: jointSetups });
/** Header of a frame with one edit's delta. */
export const editHeader = z.object({ joints: skeletonChange });
export const headQuery = z.object({ after: z.coerce.number().int().min(0) });
export const idParam = z.object({ id: z.uuid() });
export const editParams = z.object({ id: z.uuid(), edit: z.uuid() });
