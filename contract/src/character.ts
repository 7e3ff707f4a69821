import { z } from 'zod';
import { role } from './people.ts';
import { givenName } from './text.ts';

/** A character on the shelf. */
export const characterCard = z.object({
  id: z.uuid(),
  name: z.string(),
  /** Where it stands, and what the one who asks may do there. */
  shelf: z.uuid(),
  role,
  parts: z.number().int(),
  points: z.number().int(),
  joints: z.number().int(),
  /** Sentences on what is wrong with its weights now. */
  troubles: z.array(z.string()),
  /** Sentences on what was found, and put right, when it came. */
  arrival: z.array(z.string()),
  /** Sentences on all that is wrong, as the check-up and the stray finder said last; null before they were asked. */
  findings: z.array(z.string()).nullable(),
  /** Whether nothing has changed since. */
  isChecked: z.boolean(),
  touchedAt: z.iso.datetime({ offset: true }),
});
export type CharacterCard = z.infer<typeof characterCard>;
export const shelfAnswer = z.object({ characters: z.array(characterCard) });

/** Without a shelf it goes onto the account's own. */
export const uploadQuery = z.object({
  name: givenName,
  shelf: z.uuid().optional(),
  /** The id that it is to have: sent again after a broken connection, it comes once. */
  id: z.uuid().optional(),
  /** `0`: the job is answered at once rather than its character when it is done. */
  wait: z.enum(['0', '1']).default('1'),
});
export const historyUploadQuery = z.object({ shelf: z.uuid().optional() });
export const characterChange = z
  .object({ name: givenName, removed: z.boolean(), shelf: z.uuid() })
  .partial()
  .refine((change) => Object.keys(change).length > 0, 'name, removed or shelf is needed');
export const idParam = z.object({ id: z.uuid() });
