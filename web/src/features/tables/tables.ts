import { counted } from '@judoka/core/document';
import type { TableBy, TableReport } from '@judoka/core/operations/table';
import { isEmpty } from '@judoka/core/weights';
import * as Comlink from 'comlink';
import type { OpenDocument } from '../../document/OpenDocument.ts';
import { saveFile } from '../../ui/saveFile.ts';
import type { TableAnswer, TableCharacter, TableWorker } from './table.worker.ts';

/** Does one thing in a thread of its own. */
async function inThread<T>(work: (worker: Comlink.Remote<TableWorker>) => Promise<T>): Promise<T> {
  const worker = new Worker(new URL('./table.worker.ts', import.meta.url), { type: 'module' });
  const failed = new Promise<never>((_, reject) =>
    worker.addEventListener('error', (event) => reject(new Error(event.message || 'The table stopped.'))),
  );
  try {
    return await Promise.race([work(Comlink.wrap<TableWorker>(worker)), failed]);
  } finally {
    worker.terminate();
  }
}

const subjectOf = (document: OpenDocument): TableCharacter => ({
  // Of parts the tables need these alone; the rest would only be copied.
  parts: document.bound.character.parts.map(
    ({ positions, pointCount, role }, part) =>
      ({ name: document.partName(part), positions, pointCount, role }) as TableCharacter['parts'][number],
  ),
  skeleton: document.skeleton,
  rows: document.copyRows(),
  locks: document.locks,
});

/** Saves the weights on the stage as a table. */
export async function saveTable(document: OpenDocument, kind: 'csv' | 'json'): Promise<void> {
  const bytes = await inThread((worker) => worker.write(subjectOf(document), kind));
  saveFile(`${document.name}, weights.${kind}`, bytes, kind === 'csv' ? 'text/csv' : 'application/json');
}

/** Proposes the weights of a table. @returns what came of it, in a sentence */
export async function takeTable(document: OpenDocument, file: File, by: TableBy): Promise<string> {
  const bytes = new Uint8Array(await file.arrayBuffer());
  const answer = await inThread<TableAnswer>(async (worker) => worker.read(subjectOf(document), bytes, by));
  if (!answer.ok) return answer.message;
  if (isEmpty(answer.change)) return `${reportWords(answer.report)} They have these weights already.`;
  await document.proposals.propose(`Weights of “${file.name}”`, answer.change);
  return reportWords(answer.report);
}

function reportWords({ found, lost, scaled, cut }: TableReport): string {
  const words = [
    `${counted(found, 'point')} found`,
    ...(lost > 0 ? [`${lost} of the table stand nowhere near one`] : []),
    ...(scaled > 0 ? [`${scaled} did not sum to one and are scaled`] : []),
    ...(cut > 0 ? [`${cut} keep their largest influences`] : []),
  ];
  return `${words.join('; ')}.`;
}
