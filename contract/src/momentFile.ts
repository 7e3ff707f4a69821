import { CoreError } from '@judoka/core/errors';
import type { WeightRows } from '@judoka/core/weights';
import { z } from 'zod';
import { packFrame, unpackFrame } from './frame.ts';
import { MAX_JOINTS, MAX_PARTS } from './limits.ts';
import { decodeRows, encodeRows } from './rowBytes.ts';
import { givenName } from './text.ts';

/** Header of a moment that is given away as a file: a frame, its blob the weights. */
const momentFileHeader = z.object({
  what: z.literal('judoka moment'),
  version: z.literal(1),
  name: givenName,
  madeAt: z.iso.datetime({ offset: true }).optional(),
  joints: z
    .array(z.object({ id: z.string().max(120), name: z.string().max(400), parent: z.number().int().min(-1) }))
    .max(MAX_JOINTS),
  parts: z.array(z.object({ name: z.string().max(400), points: z.number().int().min(0) })).max(MAX_PARTS),
});
export type MomentFileHeader = z.infer<typeof momentFileHeader>;

export const encodeMomentFile = (
  header: Omit<MomentFileHeader, 'what' | 'version'>,
  rows: readonly WeightRows[],
): Uint8Array<ArrayBuffer> => packFrame({ what: 'judoka moment', version: 1, ...header }, [encodeRows(rows)]);

/** @throws CoreError file-invalid */
export function decodeMomentFile(bytes: Uint8Array): { header: MomentFileHeader; rows: WeightRows[] } {
  try {
    const { header, blobs } = unpackFrame(bytes);
    return { header: momentFileHeader.parse(header), rows: decodeRows(blobs[0]) };
  } catch {
    throw new CoreError('file-invalid', 'This is not a moment that was given away here, or it is damaged.');
  }
}
