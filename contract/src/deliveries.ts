import { DELIVERY_FORMATS, WEIGHT_FORMATS } from '@judoka/core/document';
import { z } from 'zod';
import { givenName } from './text.ts';

/** How a character leaves; see core's Delivery. */
export const delivery = z
  .object({
    format: z.enum(DELIVERY_FORMATS),
    weights: z.enum(WEIGHT_FORMATS),
    leavesEmptyJoints: z.boolean(),
    maxJoints: z.number().int().min(0).max(65_535),
    maxVertices: z.number().int().min(0).max(100_000_000),
    isPacked: z.boolean(),
    scale: z.number().gt(0).max(1e6),
    up: z.enum(['Y', 'Z']),
    exactSums: z.boolean(),
    withMotions: z.boolean(),
    withPoses: z.boolean(),
    asMeshes: z.boolean(),
  })
  .strict();

/** What one limit of the profile said when the character left. */
const deliveredLine = z.object({ words: z.string().max(400), isMet: z.boolean() });

/** What is asked for when a character is to leave, and what the one who asks knows of it. Sent again, it leaves once. */
export const askedDelivery = z.object({
  id: z.uuid(),
  delivery,
  /** The profile that it was held against. */
  profile: givenName,
  lines: z.array(deliveredLine).max(40),
  /** What rounding cost, in scene units, over the poses that were looked at; null where nobody measured. */
  cost: z.number().min(0).nullable(),
});
export type AskedDelivery = z.infer<typeof askedDelivery>;

/** A delivery that was kept. */
export const deliveryLine = z.object({
  id: z.uuid(),
  madeAt: z.iso.datetime({ offset: true }),
  /** Who asked for it. */
  by: z.string(),
  /** Of the character's history: the line that it was made at. */
  head: z.number().int(),
  /** Name of the file. */
  file: z.string(),
  bytes: z.number().int(),
  delivery,
  profile: z.string(),
  lines: z.array(deliveredLine),
  cost: z.number().nullable(),
});
export type DeliveryLine = z.infer<typeof deliveryLine>;
export const deliveriesAnswer = z.object({ deliveries: z.array(deliveryLine) });
export const lossesQuery = z.object({ format: z.enum(DELIVERY_FORMATS) });
/** What cannot go along into a format, in sentences. */
export const lossesAnswer = z.object({ losses: z.array(z.string()) });
export const deliveryParams = z.object({ id: z.uuid(), delivery: z.uuid() });
