import { z } from 'zod';

/** A file on its way to a shelf. Its id becomes the character's. */
export const importJob = z.object({
  id: z.uuid(),
  name: z.string(),
  shelf: z.uuid(),
  state: z.enum(['coming', 'waiting', 'reading', 'done', 'failed', 'stopped']),
  bytes: z.number(),
  /** How many are before it. */
  before: z.number().int(),
  /** Why it failed, in a sentence. */
  failure: z.string().nullable(),
});
export type ImportJob = z.infer<typeof importJob>;
export const jobsAnswer = z.object({ jobs: z.array(importJob) });
export const jobParam = z.object({ job: z.uuid() });
