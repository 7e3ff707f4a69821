import { z } from 'zod';
import { jointSetups, skeletonChange } from './joints.ts';
import { MAX_EDITS_A_REQUEST } from './limits.ts';
import { role } from './people.ts';
import { editLabel } from './text.ts';
import { documentValues, valueChange } from './values.ts';

/** Where an edit's weights are: a blob of the frame, or pieces that were sent before under the edit's id. */
const weightsPlace = z.union([
  z.object({ blob: z.number().int().min(0) }),
  z.object({ pieces: z.number().int().min(1).max(64) }),
]);

/**
 * A line of the log with what it does. An undo and a redo do what their target says, so they carry nothing when sent;
 * when read, they come with their target's content.
 */
export const logEntry = z.object({
  id: z.uuid(),
  kind: z.enum(['edit', 'undo', 'redo']),
  label: editLabel,
  target: z.uuid().optional(),
  joints: skeletonChange.optional(),
  values: valueChange.optional(),
  weights: weightsPlace.optional(),
  /** What was there before is kept as a moment: it is a large step. */
  isLarge: z.boolean().optional(),
});
export type LogEntry = z.infer<typeof logEntry>;
export type WeightsPlace = z.infer<typeof weightsPlace>;

/** Header of a frame of edits to be appended to the log. */
export const editsHeader = z
  .object({
    /** The head that the first of these was made on. */
    base: z.number().int().min(0),
    entries: z.array(logEntry).min(1).max(MAX_EDITS_A_REQUEST),
  })
  .refine(
    ({ entries }) => new Set(entries.map(({ id }) => id)).size === entries.length,
    'an id stands twice among the edits',
  )
  .refine(
    ({ entries }) => entries.every(({ kind, target }) => (kind === 'edit') === (target === undefined)),
    'an undo or redo names its target, an edit none',
  );
export type EditsHeader = z.infer<typeof editsHeader>;
export const editsAnswer = z.object({
  head: z.number().int(),
  /** Edits of others lie between the base and these: they are still to be taken in. */
  behind: z.literal(true).optional(),
});
export type EditsAnswer = z.infer<typeof editsAnswer>;

export const editRef = z.object({ id: z.uuid(), label: z.string() });

/** Header of a frame with a document at its head; the blob is its weights. */
export const documentHeader = z.object({
  id: z.uuid(),
  name: z.string(),
  /** What the one who asks may do with it. */
  role,
  arrival: z.array(z.string()),
  head: z.number().int(),
  joints: jointSetups,
  values: documentValues,
  /** The edits that can be undone, the next one first: as many as fit; `moreDone` if there are more. */
  done: z.array(editRef),
  moreDone: z.boolean(),
  /** The edits that can be redone, the next one first. */
  undone: z.array(editRef),
});
export type DocumentHeader = z.infer<typeof documentHeader>;

/** More edits that can be undone, below one of them. */
export const historyQuery = z.object({ below: z.uuid() });
export const historyAnswer = z.object({ done: z.array(editRef), moreDone: z.boolean() });

/**
 * Header of a frame with edits after a head, in order, each with its content. `head` is the head after the last of
 * them; `more` if there are others behind.
 */
export const laterEditsHeader = z.object({
  head: z.number().int(),
  entries: z.array(logEntry),
  more: z.boolean(),
});
/** Header of a frame with one edit's content; a blob with its weights, if it has any. */
export const editHeader = z.object({ joints: skeletonChange, values: valueChange });

export const headQuery = z.object({ after: z.coerce.number().int().min(0) });
export const editParams = z.object({ id: z.uuid(), edit: z.uuid() });
export const pieceParams = z.object({
  id: z.uuid(),
  edit: z.uuid(),
  piece: z.coerce.number().int().min(0).max(63),
});
export const attachmentParams = z.object({ id: z.uuid(), attachment: z.uuid() });

/** What the server tells readers of a character: its head is another one now. */
export const headEvent = z.object({ head: z.number().int() });
/** Which version of Judoka answers, and which past its place has: another one after a restore. */
export const placeEvent = z.object({ version: z.string(), epoch: z.string() });
export type PlaceEvent = z.infer<typeof placeEvent>;

/** Header of an attachment with a saved selection's points; a blob of u32 points a part. */
export const selectionHeader = z.object({ parts: z.array(z.number().int().min(0)).max(4096) });
