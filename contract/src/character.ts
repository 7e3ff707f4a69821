import { z } from 'zod';
import { givenName } from './text.ts';

export const accountAnswer = z.object({ id: z.uuid(), name: z.string() });
export type Account = z.infer<typeof accountAnswer>;

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

export const uploadQuery = z.object({ name: givenName });
export const characterChange = z
  .object({ name: givenName, removed: z.boolean() })
  .partial()
  .refine((change) => Object.keys(change).length > 0, 'name or removed is needed');
export const idParam = z.object({ id: z.uuid() });
