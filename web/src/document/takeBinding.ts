import { boundHeader, decodeWeights, unpackFrame } from '@judoka/contract';
import { HttpError, requestBytes } from '../api/http.ts';
import type { OpenDocument } from './OpenDocument.ts';

/** Proposes what a job has bound, on top of what has been done since. */
export async function takeBinding(document: OpenDocument, job: string): Promise<void> {
  const { header, blobs } = unpackFrame(await requestBytes(`/api/jobs/${job}/binding`));
  const { label, notes } = boundHeader.parse(header);
  const taken = await document.proposals.take({
    label,
    name: 'New',
    change: decodeWeights(blobs[0]),
    notes: notes.map(({ words, part, blob }) => ({
      words,
      part,
      points: blob === undefined ? undefined : new Uint32Array(blobs[blob].slice().buffer),
    })),
  });
  if (taken === 'nothing') document.notify(`“${label}” is what this character has already.`);
  if (taken === 'another')
    throw new HttpError(
      'edit-refused',
      `“${document.proposals.current?.label ?? ''}” is not decided yet. Keep or drop it, then open “${label}” from the shelf.`,
    );
}
