import { changeValues, partPath } from '@judoka/core/document';
import type { OpenDocument } from './OpenDocument.ts';

/** Gives parts weights of their own that hang on a node in the file, or takes them away again, as one edit. */
export async function setSkinned(
  document: OpenDocument,
  parts: readonly number[],
  isSkinned: boolean,
): Promise<void> {
  const role = isSkinned ? 'skinned' : null;
  const values = changeValues(
    document.values,
    Object.fromEntries(parts.map((part) => [partPath(part, 'role'), role])),
  );
  const names = parts.length === 1 ? document.partName(parts[0]) : `${parts.length} parts`;
  const label = isSkinned ? `Give ${names} weights` : `Let ${names} follow its node`;
  await document.perform(label, { values });
}
