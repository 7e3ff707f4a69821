import { ActionButton } from '../../ui/ActionButton.tsx';
import { counted, countInexact } from '@judoka/core/document';
import { Switch } from '@mantine/core';
import { useMemo, useState } from 'react';
import { requestBytes } from '../../api/http.ts';
import { useEvent } from '../../document/useEvent.ts';
import type { Editing } from '../../scene/Editing.ts';
import { messageOf } from '@judoka/core/errors';
import { type ClipSource, DrawingExport } from './DrawingExport.tsx';

type At = Editing & ClipSource;

/** Export, once everything is saved: the file is made from what the server has. */
export function DeliverPanel({ at }: { at: At }) {
  useEvent(at.document.events, 'saving');
  useEvent(at.document.events, 'values');
  const [busy, setBusy] = useState(false);
  const [exact, setExact] = useState(false);
  const [withMotions, setWithMotions] = useState(false);
  const [asPoints, setAsPoints] = useState(false);
  const motions = at.document.settings.motions.length;
  const inexact = useMemo(
    () => at.document.parts.reduce((sum, { index }) => sum + countInexact(at.document.character, index), 0),
    [at],
  );
  const { drawing } = at.document.character;
  const saved = at.document.saveState.kind === 'saved';
  const run = (): void => {
    setBusy(true);
    exportGlb(at, {
      ...{ exact, withMotions: withMotions && motions > 0 },
      asMeshes: drawing !== undefined && !asPoints,
    })
      .catch((error: unknown) => at.document.notify(`The export failed. ${messageOf(error)}`))
      .finally(() => setBusy(false));
  };
  return (
    <>
      <section className="group">
        <h2>Export</h2>
        <p className="card-line">
          {drawing
            ? 'Its layers as filled meshes, one behind the other, with your weights, joints and clips.'
            : 'The file as it came, with your weights and joints: materials, textures, other nodes, clips and extras are kept.'}
        </p>
        {inexact > 0 && (
          <Switch
            mb={8}
            checked={exact}
            onChange={(event) => setExact(event.currentTarget.checked)}
            label={`Sums to one, exactly, of ${counted(inexact, 'vertex', 'vertices')} that nobody edited`}
            description="They are off by some millionths, which validators of the format refuse."
          />
        )}
        {drawing && (
          <Switch
            mb={8}
            checked={asPoints}
            onChange={(event) => setAsPoints(event.currentTarget.checked)}
            label="As points of the outlines"
            description="To be brought in here again; other programs do not know what to do with them."
          />
        )}
        {motions > 0 && (
          <Switch
            mb={8}
            checked={withMotions}
            onChange={(event) => setWithMotions(event.currentTarget.checked)}
            label={`With ${counted(motions, 'motion')} that ${motions === 1 ? 'was' : 'were'} brought in`}
            description="As clips of the character, beside those that it came with."
          />
        )}
        <ActionButton name="Export .glb" fullWidth loading={busy} disabled={!saved} onClick={run}>
          Export .glb
        </ActionButton>
        {!saved && <div className="card-line">Waiting until everything is saved.</div>}
      </section>
      {drawing && <DrawingExport at={at} drawing={drawing} />}
    </>
  );
}

/** Fetches the export and hands it to the browser as a download. */
export async function exportGlb(
  at: Editing,
  { exact = false, withMotions = false, asMeshes = at.document.character.drawing !== undefined } = {},
): Promise<void> {
  const how = new URLSearchParams({
    ...(exact && { sums: 'exact' }),
    ...(withMotions && { motions: 'all' }),
    ...(asMeshes && { as: 'meshes' }),
  });
  const bytes = await requestBytes(`/api/characters/${at.document.id}/export.glb?${how}`);
  const address = URL.createObjectURL(new Blob([bytes], { type: 'model/gltf-binary' }));
  const link = document.createElement('a');
  link.href = address;
  link.download = `${at.document.name}.glb`;
  link.click();
  setTimeout(() => URL.revokeObjectURL(address), 10_000);
}
