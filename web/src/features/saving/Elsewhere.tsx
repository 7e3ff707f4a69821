import { Button, Group } from '@mantine/core';
import { elsewhereAnswer, elsewhereLink, type Elsewhere as Address } from '@judoka/contract';
import { useEffect, useState } from 'react';
import { request } from '../../api/http.ts';
import type { OpenDocument } from '../../document/OpenDocument.ts';

/** Tells that this browser may keep edits under another address of the same place, and leads there. */
export function Elsewhere({ document }: { document: OpenDocument }) {
  const [addresses, setAddresses] = useState<readonly Address[]>([]);
  const path = `/api/characters/${document.id}/elsewhere`;
  useEffect(() => {
    request(path)
      .then(async (response) => setAddresses(elsewhereAnswer.parse(await response.json()).addresses))
      .catch(() => undefined);
  }, [path]);
  if (addresses.length === 0) return null;
  const [{ address, seenAt }] = addresses;
  const go = async (): Promise<void> => {
    const response = await request(path, {
      method: 'POST',
      headers: { 'Content-Type': 'application/json' },
      body: JSON.stringify({ address }),
    });
    window.open(elsewhereLink.parse(await response.json()).link, '_blank', 'noopener');
    setAddresses(addresses.slice(1));
  };
  const when = new Date(seenAt).toLocaleString(undefined, { dateStyle: 'medium', timeStyle: 'short' });
  return (
    <div className="stage-card" role="dialog" aria-label="Edits under another address">
      <strong>Edits may be kept under another address</strong>
      <p>
        {`On ${when} this character was open at ${address} and not closed with everything saved. A browser keeps unsent edits by address: open it there once, and they are sent.`}
      </p>
      <Group gap={6}>
        <Button onClick={() => void go().catch(document.notifyError)}>Open it there</Button>
        <Button variant="subtle" onClick={() => setAddresses(addresses.slice(1))}>
          Not now
        </Button>
      </Group>
    </div>
  );
}
