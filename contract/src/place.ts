import { z } from 'zod';

/** How a place is kept. */
export const placeAnswer = z.object({
  /** When everything was last put into a backup; null where it never was. */
  backedUpAt: z.iso.datetime().nullable(),
  /** Since when backups fail; null where the last one did not. */
  failedAt: z.iso.datetime().nullable(),
});
export type PlaceAnswer = z.infer<typeof placeAnswer>;
