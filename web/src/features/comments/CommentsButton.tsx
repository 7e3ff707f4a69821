import { ActionIcon, Indicator, Tooltip } from '@mantine/core';
import { IconMessage } from '@tabler/icons-react';
import { useEffect } from 'react';
import { useEvent } from '../../document/useEvent.ts';
import type { Comments } from './Comments.ts';

/** Opens what is said about the character; its figure is what is not settled yet. */
export function CommentsButton({ comments }: { comments: Comments }) {
  useEvent(comments.events, 'changed');
  useEffect(() => void comments.load(), [comments]);
  const count = comments.open.length;
  const words = count === 0 ? 'Comments' : count === 1 ? 'Comments, 1 open' : `Comments, ${count} open`;
  return (
    <Tooltip label={words}>
      <Indicator disabled={count === 0} label={count} size={15} offset={5}>
        <ActionIcon
          variant="subtle"
          aria-label={words}
          aria-pressed={comments.isOpen}
          onClick={() => comments.set({ isOpen: !comments.isOpen, isPointing: false })}
        >
          <IconMessage size={17} />
        </ActionIcon>
      </Indicator>
    </Tooltip>
  );
}
