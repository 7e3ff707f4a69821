import { Button, Group } from '@mantine/core';
import { dropRefused, type RefusedEdit } from '../../document/queue/editStore.ts';
import type { OpenDocument } from '../../document/OpenDocument.ts';
import { saveFile } from '../../ui/saveFile.ts';
import { refusedFile, tryAgain } from './refused.ts';

interface RefusedEditsProps {
  readonly document: OpenDocument;
  readonly refused: readonly RefusedEdit[];
}

/** Edits that the server refused: why, and what can be done with each. Nothing of them is lost until one lets it go. */
export function RefusedEdits({ document, refused }: RefusedEditsProps) {
  const again = (edit: RefusedEdit): void => void tryAgain(document, edit).catch(document.notifyError);
  const forget = async (edit: RefusedEdit): Promise<void> => {
    await dropRefused(edit.id);
    document.refusedChanged();
  };
  return (
    <div aria-label="Edits that were not saved" role="group">
      {refused.map((edit) => (
        <div key={edit.id} className="group">
          <strong>{edit.label}</strong>
          <p className="card-line">{edit.reason}</p>
          <Group gap={6}>
            <Button size="compact-xs" onClick={() => again(edit)}>
              Try again
            </Button>
            <Button size="compact-xs" variant="default" onClick={() => saveAsFile(edit)}>
              Save as a file
            </Button>
            <Button size="compact-xs" variant="subtle" onClick={() => void forget(edit)}>
              Let it go
            </Button>
          </Group>
        </div>
      ))}
    </div>
  );
}

function saveAsFile(edit: RefusedEdit): void {
  const { name, bytes } = refusedFile(edit);
  saveFile(name, bytes);
}
