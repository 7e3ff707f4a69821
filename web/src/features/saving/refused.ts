import { decodeWeights } from '@judoka/contract';
import { isEmptyEdit, type Edit } from '@judoka/core/document';
import { influencesOf, type Change } from '@judoka/core/weights';
import { dropRefused, type RefusedEdit } from '../../document/queue/editStore.ts';
import type { OpenDocument } from '../../document/OpenDocument.ts';

type RefusingDocument = Pick<OpenDocument, 'perform' | 'rebase' | 'refusedChanged' | 'notify'>;

const contentOf = ({ change, joints = [], values = [] }: RefusedEdit): Edit => ({
  weights: decodeWeights(change),
  joints,
  values,
});

/** Does a refused edit again, on the character as it is now; the server decides anew. */
export async function tryAgain(document: RefusingDocument, refused: RefusedEdit): Promise<void> {
  const { edit } = document.rebase(contentOf(refused), new Map());
  if (isEmptyEdit(edit)) document.notify(`“${refused.label}” would change nothing any more.`);
  else await document.perform(refused.label, edit, { attachments: refused.attachments });
  await dropRefused(refused.id);
  document.refusedChanged();
}

/** A refused edit as a file that a person, or a program, can read. */
export function refusedFile(refused: RefusedEdit): { name: string; bytes: Uint8Array<ArrayBuffer> } {
  const { weights, joints, values } = contentOf(refused);
  const text = JSON.stringify(
    {
      label: refused.label,
      reason: refused.reason,
      refusedAt: new Date(refused.refusedAt).toISOString(),
      joints,
      values,
      weights: readable(weights),
    },
    undefined,
    1,
  );
  const name = `${refused.label.replace(/[^\p{L}\p{N} _-]+/gu, '').trim() || 'edit'}.json`;
  return { name, bytes: new TextEncoder().encode(text) };
}

const readable = (change: Change) =>
  change.map(({ part, points, before, after }) => ({
    part,
    points: [...points].map((point, i) => ({
      point,
      before: [...influencesOf(before, i)],
      after: [...influencesOf(after, i)],
    })),
  }));
