import { BIND_METHODS } from '@judoka/core/operations/bind';
import { z } from 'zod';
import { MAX_JOBS_A_BATCH } from './limits.ts';

/** What can be asked of a character that stands on a shelf. */
export const askedWork = z.discriminatedUnion('kind', [
  z.object({ kind: z.literal('report') }),
  z.object({
    kind: z.literal('bind'),
    method: z.enum(BIND_METHODS),
    softness: z.number().gt(0).max(1),
    limit: z.number().int().min(1).max(8),
  }),
]);
export type AskedWork = z.infer<typeof askedWork>;

/** Work of the same kind on several characters. Sent again under its id, it is asked for once. */
export const askedBatch = z.object({
  id: z.uuid(),
  characters: z.array(z.uuid()).min(1).max(MAX_JOBS_A_BATCH),
  work: askedWork,
});
export type AskedBatch = z.infer<typeof askedBatch>;

/** Heavy work that is waiting, under way, or over. */
export const jobAnswer = z.object({
  /** Of an import, it becomes the character's. */
  id: z.uuid(),
  kind: z.enum(['import', 'report', 'bind']),
  /** What it is done to. */
  name: z.string(),
  shelf: z.uuid(),
  character: z.uuid().nullable(),
  /** Jobs that were asked for together. */
  batch: z.uuid().nullable(),
  state: z.enum(['coming', 'waiting', 'working', 'done', 'failed', 'stopped']),
  bytes: z.number(),
  /** How many are before it. */
  before: z.number().int(),
  /** How much is done, 0 to 1; 0 where it is not known. */
  share: z.number(),
  /** What came of it, in a sentence. */
  outcome: z.string().nullable(),
  /** Why it failed, in a sentence. */
  failure: z.string().nullable(),
});
export type Job = z.infer<typeof jobAnswer>;
export const jobsAnswer = z.object({ jobs: z.array(jobAnswer) });
export const jobParam = z.object({ job: z.uuid() });
export const batchParam = z.object({ batch: z.uuid() });

/**
 * Header of a frame with what a binding proposes: the first blob is the change, the others the points of the notes, each a
 * Uint32Array.
 */
export const boundHeader = z.object({
  label: z.string(),
  notes: z.array(z.object({ words: z.string(), part: z.number().optional(), blob: z.number().optional() })),
});
