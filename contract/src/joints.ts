import { fileJointId } from '@judoka/core/skeleton';
import { z } from 'zod';
import { MAX_JOINTS } from './limits.ts';
import { storableText } from './text.ts';

export const finite = z.number().refine(Number.isFinite);
export const jointNumber = z
  .number()
  .int()
  .min(0)
  .max(MAX_JOINTS - 1);
/** A joint's or a part's number as a key. */
export const numberKey = z.string().regex(/^(0|[1-9]\d{0,3})$/);
export const rotation = z.tuple([finite, finite, finite, finite]).readonly();
export const triple = z.tuple([finite, finite, finite]).readonly();

export const jointPose = z.object({ rotation, translation: triple, scale: triple });
export const pose = z.record(numberKey, jointPose);

/** How a joint stands at rest; see core's JointSetup. Joints of before they had ids are known by their number. */
const jointSetup = z.object({
  id: storableText.min(1).max(64).optional(),
  name: storableText.min(1).max(1000),
  parent: z
    .number()
    .int()
    .min(-1)
    .max(MAX_JOINTS - 1),
  offset: z.array(finite).length(16).readonly(),
  translation: triple,
  rotation,
  scale: triple,
});
type ReadSetup = z.infer<typeof jointSetup>;
const withId = (setup: ReadSetup | null, joint: number) =>
  setup && { ...setup, id: setup.id ?? fileJointId(joint) };

/** Joints that differ from the file: by number; null for one that was removed. */
export const jointSetups = z
  .record(numberKey, jointSetup.nullable())
  .transform((setups) =>
    Object.fromEntries(Object.entries(setups).map(([joint, setup]) => [joint, withId(setup, Number(joint))])),
  );

/** What an edit does to joints. */
export const skeletonChange = z
  .array(
    z
      .object({ joint: jointNumber, before: jointSetup.nullable(), after: jointSetup.nullable() })
      .transform(({ joint, before, after }) => ({
        joint,
        before: withId(before, joint),
        after: withId(after, joint),
      })),
  )
  .max(MAX_JOINTS)
  .refine((lines) => new Set(lines.map(({ joint }) => joint)).size === lines.length, 'a joint stands twice')
  .readonly();
