import { Button, FileButton, Group } from '@mantine/core';
import type { TableBy } from '@judoka/core/operations/table';
import { useState } from 'react';
import type { Editing } from '../../scene/Editing.ts';
import { Segments } from '../../ui/Segments.tsx';
import { saveTable, takeTable } from './tables.ts';

/** Weights as tables for other programs: a line an influence, or JSON. */
export function SaveTables({ at }: { at: Editing }) {
  const [busy, setBusy] = useState(false);
  const save = (kind: 'csv' | 'json'): void => {
    setBusy(true);
    saveTable(at.document, kind)
      .catch(at.document.notifyError)
      .finally(() => setBusy(false));
  };
  return (
    <section className="group">
      <h2>Weights as a table</h2>
      <p className="card-line">
        By names of parts and joints, with the places of points; read back to the bit.
      </p>
      <Group gap={6} grow>
        <Button variant="default" disabled={busy} onClick={() => save('csv')}>
          Save .csv
        </Button>
        <Button variant="default" disabled={busy} onClick={() => save('json')}>
          Save .json
        </Button>
      </Group>
    </section>
  );
}

const BY: Readonly<Record<TableBy, string>> = { index: 'By number', place: 'By place' };

/** Weights from a table, proposed before they are kept. */
export function TakeTable({ at }: { at: Editing }) {
  const [by, setBy] = useState<TableBy>('index');
  const [said, setSaid] = useState('');
  const take = (file: File | null): void => {
    if (!file) return;
    setSaid('Reading');
    takeTable(at.document, file, by)
      .then(setSaid)
      .catch((error: unknown) => {
        setSaid('');
        at.document.notifyError(error);
      });
  };
  if (!at.document.mayChange) return null;
  return (
    <section className="group">
      <h2>From a table</h2>
      <Segments name="How points are found" choices={BY} value={by} set={setBy} />
      <FileButton
        accept=".csv,.json,text/csv,application/json"
        onChange={take}
        inputProps={{ 'aria-label': 'Table of weights' }}
      >
        {(props) => (
          <Button {...props} fullWidth variant="default" mt={8}>
            Weights of a .csv or .json
          </Button>
        )}
      </FileButton>
      {said !== '' && (
        <div className="card-line" role="status">
          {said}
        </div>
      )}
    </section>
  );
}
