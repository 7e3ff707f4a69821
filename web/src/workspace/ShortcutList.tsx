import { Button, Modal, Table } from '@mantine/core';
import { SHORTCUTS } from './keys.ts';

interface ShortcutListProps {
  readonly shown: boolean;
  readonly close: () => void;
  /** Begins the warm-up; missing where the character has nothing to practise on. */
  readonly practise?: () => void;
}

export function ShortcutList({ shown, close, practise }: ShortcutListProps) {
  return (
    <Modal opened={shown} onClose={close} title="Keys and buttons" size="md">
      <Table withRowBorders={false} verticalSpacing={3}>
        <Table.Tbody>
          {SHORTCUTS.map(({ keys, what }) => (
            <Table.Tr key={keys}>
              <Table.Td w={130} className="figures" fz={12}>
                {keys}
              </Table.Td>
              <Table.Td>{what}</Table.Td>
            </Table.Tr>
          ))}
        </Table.Tbody>
      </Table>
      {practise && (
        <Button fullWidth mt={10} variant="default" onClick={practise}>
          The warm-up: three faults in three minutes
        </Button>
      )}
    </Modal>
  );
}
