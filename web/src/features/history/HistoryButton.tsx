import { ActionIcon, Tooltip } from '@mantine/core';
import { IconHistory } from '@tabler/icons-react';
import { useEvent } from '../../document/useEvent.ts';
import type { HistoryList } from './HistoryList.ts';

/** Opens the history, or closes it. */
export function HistoryButton({ list }: { list: HistoryList }) {
  useEvent(list.events, 'changed');
  return (
    <Tooltip label="History and moments (H: who changed what is under the pointer)">
      <ActionIcon
        variant="subtle"
        aria-label="History"
        aria-pressed={list.isShown}
        onClick={() => list.toggle()}
      >
        <IconHistory size={17} />
      </ActionIcon>
    </Tooltip>
  );
}
