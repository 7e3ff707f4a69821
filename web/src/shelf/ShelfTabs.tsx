import { ActionIcon, Button, Popover, TextInput, Tooltip } from '@mantine/core';
import type { Shelf } from '@judoka/contract';
import { IconPlus, IconUsers } from '@tabler/icons-react';
import { lazy, Suspense, useState } from 'react';
import { Link, useNavigate } from 'react-router';
import { api, useMakeShelfMutation, type ApiFailure } from '../api/api.ts';
import { useAppDispatch } from '../settings/store.ts';

const PeopleDialog = lazy(async () => ({
  default: (await import('../people/PeopleDialog.tsx')).PeopleDialog,
}));

const nameOf = (shelf: Shelf): string => (shelf.isOwn ? 'My shelf' : shelf.name);

/** The shelves that one is on, who else is on the one that is shown, and a new one. */
export function ShelfTabs({ shelves, shown }: { shelves: readonly Shelf[]; shown: Shelf }) {
  const dispatch = useAppDispatch();
  const [open, setOpen] = useState(false);
  const others = shown.people - 1;
  const words = others === 0 ? 'Only you' : others === 1 ? 'You and 1 other' : `You and ${others} others`;
  return (
    <nav className="shelf-tabs" aria-label="Shelves">
      {shelves.map((each) => (
        <Link
          key={each.id}
          to={each.isOwn ? '/' : `/?shelf=${each.id}`}
          aria-current={each === shown ? 'page' : undefined}
        >
          {nameOf(each)}
        </Link>
      ))}
      <NewShelf />
      <span className="spread" />
      <Button
        variant="default"
        leftSection={<IconUsers size={16} />}
        onClick={() => setOpen(true)}
        aria-label={`${words}: people on ${nameOf(shown)}`}
      >
        {words}
      </Button>
      {open && (
        <Suspense fallback={null}>
          <PeopleDialog
            shelf={shown}
            close={() => {
              setOpen(false);
              // Somebody may have come while it was open.
              dispatch(api.util.invalidateTags(['Shelves']));
            }}
          />
        </Suspense>
      )}
    </nav>
  );
}

/** A shelf that several people work on. */
function NewShelf() {
  const navigate = useNavigate();
  const [open, setOpen] = useState(false);
  const [name, setName] = useState('');
  const [make, { error, isLoading }] = useMakeShelfMutation();
  const send = async (): Promise<void> => {
    const made = await make(name.trim()).unwrap();
    setOpen(false);
    setName('');
    void navigate(`/?shelf=${made.id}`);
  };
  return (
    <Popover opened={open} onChange={setOpen} trapFocus position="bottom-start" withArrow width={300}>
      <Popover.Target>
        <Tooltip label="A shelf for a team">
          <ActionIcon variant="subtle" aria-label="New shelf" onClick={() => setOpen((is) => !is)}>
            <IconPlus size={16} />
          </ActionIcon>
        </Tooltip>
      </Popover.Target>
      <Popover.Dropdown>
        <form
          style={{ display: 'flex', flexDirection: 'column', gap: 10 }}
          onSubmit={(event) => {
            event.preventDefault();
            send().catch(() => undefined);
          }}
        >
          <TextInput
            label="A shelf for a team, called"
            maxLength={120}
            value={name}
            error={(error as ApiFailure | undefined)?.message}
            onChange={(event) => setName(event.currentTarget.value)}
          />
          <Button type="submit" loading={isLoading} disabled={name.trim() === ''}>
            Put it up
          </Button>
        </form>
      </Popover.Dropdown>
    </Popover>
  );
}
