import { CoreError } from '@judoka/core/errors';
import type { OpenDocument } from './OpenDocument.ts';

/** @throws CoreError argument-invalid while what was changed last of a mesh is still being laid out */
export function needLaidOut({ isLaidOut }: Pick<OpenDocument, 'isLaidOut'>): void {
  if (!isLaidOut)
    throw new CoreError(
      'argument-invalid',
      'The mesh is laid out anew once the last change of it is saved. Go on in a moment.',
    );
}
