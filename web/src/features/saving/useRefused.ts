import { useEffect, useState } from 'react';
import { refusedOfCharacter, type RefusedEdit } from '../../document/queue/editStore.ts';
import type { OpenDocument } from '../../document/OpenDocument.ts';
import { useEvent } from '../../document/useEvent.ts';

/** The edits of this character that the server refused, as this browser keeps them. */
export function useRefused(document: OpenDocument): readonly RefusedEdit[] {
  const version = useEvent(document.events, 'refused');
  const [refused, setRefused] = useState<readonly RefusedEdit[]>([]);
  useEffect(() => {
    let isOver = false;
    refusedOfCharacter(document.id).then(
      (found) => {
        if (!isOver) setRefused(found);
      },
      () => undefined,
    );
    return () => {
      isOver = true;
    };
  }, [document, version]);
  return refused;
}
