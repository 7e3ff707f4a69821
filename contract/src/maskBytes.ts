import { CoreError } from '@judoka/core/errors';
import { selectionHeader } from './edits.ts';
import { packFrame, unpackFrame } from './frame.ts';

const STEPS = 255;

/** Amounts of points by part, in steps of 1/255, as the bytes of an attachment: those above nothing, and how much each has. */
export const encodeMask = (amounts: ReadonlyMap<number, Float32Array>): Uint8Array<ArrayBuffer> =>
  packFrame({ parts: [...amounts.keys()] }, [...amounts.values()].flatMap(partBlobs));

function partBlobs(amounts: Float32Array): Uint8Array[] {
  const steps = amounts.map((amount) => Math.round(STEPS * amount));
  const points = Uint32Array.from(amounts.keys()).filter((p) => steps[p] > 0);
  return [
    new Uint8Array(Uint32Array.of(amounts.length).buffer),
    new Uint8Array(points.buffer),
    Uint8Array.from(points, (p) => steps[p]),
  ];
}

/** @returns by part: Float32Array, one a point, 0 to 1. @throws CoreError if these are not the bytes of a mask */
export function decodeMask(bytes: Uint8Array): Map<number, Float32Array> {
  const { header, blobs } = unpackFrame(bytes);
  const { parts } = selectionHeader.parse(header);
  return new Map(
    parts.map((part, i) => {
      const [counts, listed, steps] = [0, 1, 2].map((k) => blobs.at(3 * i + k));
      if (counts?.length !== 4 || !listed || listed.length !== 4 * (steps?.length ?? 0)) throw damaged();
      const [count] = new Uint32Array(counts.slice().buffer);
      if (count > MAX_POINTS) throw damaged();
      const amounts = new Float32Array(count);
      new Uint32Array(listed.slice().buffer).forEach((p, k) => {
        if (p >= count) throw damaged();
        amounts[p] = (steps?.[k] ?? 0) / STEPS;
      });
      return [part, amounts];
    }),
  );
}

/** More points than any part has. */
const MAX_POINTS = 50_000_000;

const damaged = (): CoreError =>
  new CoreError('file-invalid', 'A mask is damaged: its points and amounts do not go together.');
