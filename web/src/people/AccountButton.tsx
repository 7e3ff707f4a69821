import { ActionIcon, Button, Tooltip } from '@mantine/core';
import { IconUser } from '@tabler/icons-react';
import { lazy, Suspense, useState } from 'react';
import { useMeQuery } from '../api/api.ts';

const AccountDialog = lazy(async () => ({ default: (await import('./AccountDialog.tsx')).AccountDialog }));

/** Who is signed in, and what they can set of it. */
export function AccountButton({ isSmall = false }: { isSmall?: boolean }) {
  const { data: me } = useMeQuery(undefined);
  const [open, setOpen] = useState(false);
  if (!me) return null;
  return (
    <>
      {isSmall ? (
        <Tooltip label={`Account: ${me.name}`}>
          <ActionIcon variant="subtle" aria-label={`Account: ${me.name}`} onClick={() => setOpen(true)}>
            <IconUser size={17} />
          </ActionIcon>
        </Tooltip>
      ) : (
        <Button
          variant="subtle"
          leftSection={<IconUser size={16} />}
          maw={220}
          aria-label={`Account: ${me.name}`}
          onClick={() => setOpen(true)}
        >
          {me.name}
        </Button>
      )}
      {open && (
        <Suspense fallback={null}>
          <AccountDialog close={() => setOpen(false)} />
        </Suspense>
      )}
    </>
  );
}
