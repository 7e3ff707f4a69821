import { ActionButton } from '../../ui/ActionButton.tsx';
import { useState } from 'react';
import { requestBytes } from '../../api/http.ts';
import { useEvent } from '../../document/useEvent.ts';
import type { Editing } from '../../scene/Editing.ts';
import { messageOf } from '@judoka/core/errors';

type At = Editing;

/** Export, once everything is saved: the file is made from what the server has. */
export function DeliverPanel({ at }: { at: At }) {
  useEvent(at.document.events, 'saving');
  const [busy, setBusy] = useState(false);
  const saved = at.document.saveState.kind === 'saved';
  const run = (): void => {
    setBusy(true);
    exportGlb(at)
      .catch((error: unknown) => at.document.notify(`The export failed. ${messageOf(error)}`))
      .finally(() => setBusy(false));
  };
  return (
    <section className="group">
      <h2>Export</h2>
      <p className="card-line">
        The file as it came, with your weights and joints: materials, textures, other nodes, clips and extras
        are kept.
      </p>
      <ActionButton name="Export .glb" fullWidth loading={busy} disabled={!saved} onClick={run}>
        Export .glb
      </ActionButton>
      {!saved && <div className="card-line">Waiting until everything is saved.</div>}
    </section>
  );
}

/** Fetches the export and hands it to the browser as a download. */
export async function exportGlb(at: At): Promise<void> {
  const bytes = await requestBytes(`/api/characters/${at.document.id}/export.glb`);
  const address = URL.createObjectURL(new Blob([bytes], { type: 'model/gltf-binary' }));
  const link = document.createElement('a');
  link.href = address;
  link.download = `${at.document.name}.glb`;
  link.click();
  setTimeout(() => URL.revokeObjectURL(address), 10_000);
}
