import { Modal, Table } from '@mantine/core';
import { SHORTCUTS } from './useShortcuts.ts';

export function ShortcutList({ shown, close }: { shown: boolean; close: () => void }) {
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
    </Modal>
  );
}
