import { readSettings, shapesOf, type Delivery } from '@judoka/core/document';
import { readSource } from '../characters/sources.queries.ts';
import type { Database } from '../database.ts';
import { findAttachment } from '../documents/attachments.queries.ts';
import type { DocumentThreads } from '../documents/DocumentThreads.ts';
import type { ExportedFile, FileThreads } from '../files/FileThreads.ts';
import { found } from '../http/bodies.ts';

/**
 * A character as it is now, as the file that it leaves as.
 * @returns the file, and the line of the log that it was made at
 * @throws RequestError `not-found` where the account does not see it, or what core refused
 */
export async function exportNow(
  database: Database,
  threads: DocumentThreads,
  files: FileThreads,
  asking: { readonly account: string; readonly character: string },
  delivery: Delivery,
  at = new Date(),
): Promise<ExportedFile & { readonly head: number }> {
  const { name, head, weights, setups, values } = await threads.snapshot(asking);
  const { skinnedParts, motions, poses, order, shapes, masks, ribbons } = readSettings(values);
  const attached = async (id: string): Promise<Uint8Array> =>
    found(await findAttachment(database, asking.account, asking.character, id));
  const named = new Set(Object.values(shapes).map((shape) => shape?.mask));
  const added = delivery.withMotions ? motions : [];
  const file = await files.exportFile({
    source: await readSource(database, asking.character),
    ...{ weights, setups, delivery, order, at, ribbons },
    name: fileName(name),
    skinned: skinnedParts,
    shapes: shapesOf(values),
    poses: delivery.withPoses ? poses.map((pose) => ({ name: pose.name, joints: pose.joints })) : [],
    motions: await Promise.all(
      added.map(async ({ name: motion, follows, attachment }) => ({
        ...{ name: motion, follows },
        bytes: await attached(attachment),
      })),
    ),
    morphs: {
      saved: shapes,
      masks: await Promise.all(
        masks
          .filter(({ id }) => named.has(id))
          .map(async ({ id, attachment }) => ({ id, bytes: await attached(attachment) })),
      ),
    },
  });
  return { ...file, head };
}

/** What no system takes in the name of a file is left out. */
const fileName = (name: string): string =>
  // eslint-disable-next-line no-control-regex
  name.replace(/[\u0000-\u001f<>:"/\\|?*]+/g, '_').slice(0, 100) || 'character';
