import { Button } from '@mantine/core';
import { useState } from 'react';
import { requestBytes } from '../api/http.ts';
import type { CharacterSession } from '../session/CharacterSession.ts';
import { useTopic } from '../session/useTopic.ts';

/** Export, once everything is saved: the file is made from what the server has. */
export function DeliverPanel({ session }: { session: CharacterSession }) {
  useTopic(session, 'saving');
  const [busy, setBusy] = useState(false);
  const saved = session.saveState.kind === 'saved';
  const run = (): void => {
    setBusy(true);
    exportGlb(session)
      .catch((error: Error) => session.tellPerson(`The export failed. ${error.message}`))
      .finally(() => setBusy(false));
  };
  return (
    <section className="group">
      <h2>Export</h2>
      <p className="card-line">
        The file as it came, with your weights and joints: materials, textures, other nodes, clips and extras
        are kept.
      </p>
      <Button fullWidth loading={busy} disabled={!saved} onClick={run}>
        Export .glb
      </Button>
      {!saved && <div className="card-line">Waiting until everything is saved.</div>}
    </section>
  );
}

/** Fetches the export and hands it to the browser as a download. */
export async function exportGlb(session: CharacterSession): Promise<void> {
  const bytes = await requestBytes(`/api/characters/${session.id}/export.glb`);
  const address = URL.createObjectURL(
    new Blob([bytes as Uint8Array<ArrayBuffer>], { type: 'model/gltf-binary' }),
  );
  const link = document.createElement('a');
  link.href = address;
  link.download = `${session.name}.glb`;
  link.click();
  setTimeout(() => URL.revokeObjectURL(address), 10_000);
}
