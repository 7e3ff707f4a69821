import { Button, Group, Modal } from '@mantine/core';
import type { AskedWork, CharacterCard } from '@judoka/contract';
import { BindSettings } from '../settings/BindSettings.tsx';
import { useUiSettings } from '../settings/store.ts';

interface Props {
  readonly cards: readonly CharacterCard[];
  readonly ask: (work: AskedWork) => void;
  readonly close: () => void;
}

/** How the server is to bind characters while one does something else. */
export function BindDialog({ cards, ask, close }: Props) {
  const { bindMethod, softness, limit } = useUiSettings('bindMethod', 'softness', 'limit');
  const points = cards.reduce((sum, card) => sum + card.points, 0).toLocaleString('en');
  const whom = cards.length === 1 ? cards[0].name : `${cards.length} characters`;
  return (
    <Modal opened onClose={close} title={`Bind ${whom}`} centered>
      <BindSettings />
      <p className="card-line">
        {points} points. It is done without this page being open, and changes nothing yet: each result waits
        here until it is looked at, and kept or dropped. Locked joints and rigid parts stay as they are.
      </p>
      <Group justify="flex-end" gap={8} mt={14}>
        <Button variant="default" onClick={close}>
          Cancel
        </Button>
        <Button onClick={() => ask({ kind: 'bind', method: bindMethod, softness, limit })}>Bind</Button>
      </Group>
    </Modal>
  );
}
