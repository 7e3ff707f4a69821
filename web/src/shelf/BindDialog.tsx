import { Button, Group, Modal } from '@mantine/core';
import type { AskedWork, CharacterCard } from '@judoka/contract';
import { settingsChanged } from '../settings/uiSettings.ts';
import { useAppDispatch, useUiSettings } from '../settings/store.ts';
import { BindMethodChoice } from '../ui/BindMethodChoice.tsx';
import { NumberField } from '../ui/NumberField.tsx';

interface Props {
  readonly cards: readonly CharacterCard[];
  readonly ask: (work: AskedWork) => void;
  readonly close: () => void;
}

/** How the server is to bind characters while one does something else. */
export function BindDialog({ cards, ask, close }: Props) {
  const dispatch = useAppDispatch();
  const { bindMethod, softness, limit } = useUiSettings('bindMethod', 'softness', 'limit');
  const points = cards.reduce((sum, card) => sum + card.points, 0).toLocaleString('en');
  const whom = cards.length === 1 ? cards[0].name : `${cards.length} characters`;
  return (
    <Modal opened onClose={close} title={`Bind ${whom}`} centered>
      <BindMethodChoice
        value={bindMethod}
        set={(method) => dispatch(settingsChanged({ bindMethod: method }))}
      />
      <Group gap={10} grow mb={12}>
        <NumberField
          steppers
          label="Softness"
          description="of a limb’s thickness"
          min={0.05}
          max={1}
          step={0.05}
          decimalScale={2}
          value={softness}
          onChange={(value) => value > 0 && dispatch(settingsChanged({ softness: value }))}
        />
        <NumberField
          steppers
          label="Influences"
          description="at most, a point"
          min={1}
          max={8}
          allowDecimal={false}
          value={limit}
          onChange={(value) => value >= 1 && dispatch(settingsChanged({ limit: value }))}
        />
      </Group>
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
