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

export const historyEntry = z.object({
  id: z.uuid(),
  kind: z.enum(['edit', 'undo', 'redo']),
  label: z.string().min(1).max(200),
  target: z.uuid().optional(),
});

/** What the bench needs to open a character; geometry comes from its source, weights as a frame. */
export const characterAnswer = characterCard.extend({
  head: z.number().int(),
  history: z.array(historyEntry),
  pose: poseBody.shape.joints,
  locks: z.array(z.number().int()),
  /** Joints whose deforming is off. */
  still: z.array(z.number().int()),
});
export type CharacterAnswer = z.infer<typeof characterAnswer>;

/** Header of a frame of edits; the frame's blobs are the deltas of the entries of kind `edit`, in order. */
export const editsHeader = z.object({
  /** The head that the first of these was made on. */
  base: z.number().int().min(0),
  entries: z.array(historyEntry).min(1).max(500),
});
export type EditsHeader = z.infer<typeof editsHeader>;
export const editsAnswer = z.object({ head: z.number().int() });

/** Header of a frame with the edits after a head; blobs as above. */
export const laterEditsHeader = z.object({ head: z.number().int(), entries: z.array(historyEntry) });

export const weightsHeader = z.object({ head: z.number().int() });
export const headQuery = z.object({ after: z.coerce.number().int().min(0) });
export const idParam = z.object({ id: z.uuid() });
export const editParams = z.object({ id: z.uuid(), edit: z.uuid() });
