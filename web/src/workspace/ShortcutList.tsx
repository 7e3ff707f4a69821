import { Button, Group, Modal, Table } from '@mantine/core';
import { useEffect, useState } from 'react';
import { settingsChanged } from '../settings/uiSettings.ts';
import { useAppDispatch, useUiSettings } from '../settings/store.ts';
import { ACTIONS, keyOf, keyWords, withKey, type Action } from './actions.ts';
import { GESTURES } from './keys.ts';

interface ShortcutListProps {
  readonly shown: boolean;
  readonly close: () => void;
  /** Begins the warm-up; missing where the character has nothing to practise on. */
  readonly practise?: () => void;
}

/** All keys, each of which can be another one, and what the mouse does. */
export function ShortcutList({ shown, close, practise }: ShortcutListProps) {
  return (
    <Modal opened={shown} onClose={close} title="Keys and buttons" size="lg">
      {practise && (
        <Button fullWidth mb={10} variant="default" onClick={practise}>
          The warm-up: three faults in three minutes
        </Button>
      )}
      <OwnKeys />
      <Table withRowBorders={false} verticalSpacing={3}>
        <Table.Tbody>
          {GESTURES.map(({ keys, what }) => (
            <Table.Tr key={keys}>
              <Table.Td w={140} className="figures" fz={12}>
                {keys}
              </Table.Td>
              <Table.Td>{what}</Table.Td>
            </Table.Tr>
          ))}
        </Table.Tbody>
      </Table>
    </Modal>
  );
}

function OwnKeys() {
  const dispatch = useAppDispatch();
  const { keys: own } = useUiSettings('keys');
  const [changing, setChanging] = useState<Action>();
  const [said, setSaid] = useState('');
  useEffect(() => {
    if (!changing) return undefined;
    const take = (event: KeyboardEvent): void => {
      event.preventDefault();
      event.stopPropagation();
      if (event.key === 'Escape') setChanging(undefined);
      const key = event.key === 'Backspace' ? '' : event.key.toLowerCase();
      if (key.length > 1 || event.ctrlKey || event.altKey || event.metaKey) return;
      const { own: keys, loser } = withKey(own, changing, key);
      dispatch(settingsChanged({ keys }));
      setSaid(loser && key !== '' ? `“${loser.name}” has no key now.` : '');
      setChanging(undefined);
    };
    addEventListener('keydown', take, true);
    return () => removeEventListener('keydown', take, true);
  }, [changing, own, dispatch]);
  return (
    <>
      <Group justify="space-between" mb={6}>
        <span className="card-line" role="status">
          {changing
            ? `Press a key for “${changing.name}”. Backspace: none, Escape: as it was.`
            : said || 'Click a key to choose another one.'}
        </span>
        <Button
          size="compact-sm"
          variant="default"
          disabled={Object.keys(own).length === 0}
          onClick={() => {
            dispatch(settingsChanged({ keys: {} }));
            setSaid('');
          }}
        >
          All as they were
        </Button>
      </Group>
      <Table withRowBorders={false} verticalSpacing={2} mb={12} aria-label="Keys">
        <Table.Tbody>
          {ACTIONS.map((action) => {
            const key = keyOf(action, own);
            return (
              <Table.Tr key={action.id}>
                <Table.Td w={140}>
                  <Button
                    size="compact-sm"
                    miw={44}
                    variant={changing === action ? 'filled' : 'default'}
                    className="figures"
                    aria-label={`Key of “${action.name}”: ${key === '' ? 'none' : keyWords(key)}`}
                    onClick={() => setChanging(action)}
                  >
                    {changing === action ? '…' : key === '' ? 'none' : keyWords(key)}
                  </Button>
                </Table.Td>
                <Table.Td>{action.name}</Table.Td>
              </Table.Tr>
            );
          })}
        </Table.Tbody>
      </Table>
    </>
  );
}
