import { counted } from '@judoka/core/document';
import type { Workspace } from './Workspace.ts';
import { ActionIcon, Button, Tooltip, useMantineColorScheme } from '@mantine/core';
import { spotlight } from '@mantine/spotlight';
import { IconArrowBackUp, IconArrowForwardUp, IconListSearch, IconMoon, IconSun } from '@tabler/icons-react';
import { Link, NavLink } from 'react-router';
import { CommentsButton } from '../features/comments/CommentsButton.tsx';
import { HistoryButton } from '../features/history/HistoryButton.tsx';
import { Company } from '../features/company/Company.tsx';
import { AccountButton } from '../people/AccountButton.tsx';
import { SaveWords } from '../features/saving/SaveWords.tsx';
import { useEvent } from '../document/useEvent.ts';
import { STEP_NAMES, STEPS, type Step } from './stages.ts';

export function TopBar({ at, step }: { at: Workspace; step: Step }) {
  const { colorScheme, toggleColorScheme } = useMantineColorScheme();
  const open = useOpenWork(at);
  return (
    <header className="top">
      <Tooltip label="Back to the shelf">
        <Link to="/" className="top-name" style={{ color: 'inherit', textDecoration: 'none' }}>
          {at.document.name}
        </Link>
      </Tooltip>
      <nav className="steps" aria-label="Stages" data-known={at.troubles.isKnown}>
        {STEPS.map((each) => (
          <NavLink
            key={each}
            to={`/characters/${at.document.id}/${each}`}
            aria-current={each === step ? 'page' : undefined}
          >
            {STEP_NAMES[each]}
            {open[each] && (
              <span className="count" title={open[each].what}>
                {open[each].count}
              </span>
            )}
          </NavLink>
        ))}
      </nav>
      <span className="spread" />
      <Company at={at} />
      {at.document.mayChange ? (
        <SaveWords document={at.document} />
      ) : (
        <Tooltip label="You look, pose and comment. An owner of the shelf can make you a painter.">
          <span className="save-state">Guest</span>
        </Tooltip>
      )}
      <HistoryButtons at={at} />
      <HistoryButton list={at.historyList} />
      <CommentsButton comments={at.comments} />
      <Tooltip label={colorScheme === 'dark' ? 'Day' : 'Night practice'}>
        <ActionIcon variant="subtle" aria-label="Day or night practice" onClick={toggleColorScheme}>
          {colorScheme === 'dark' ? <IconSun size={17} /> : <IconMoon size={17} />}
        </ActionIcon>
      </Tooltip>
      <Tooltip label="Commands (Ctrl+K)">
        <ActionIcon variant="subtle" aria-label="Commands" onClick={() => spotlight.open()}>
          <IconListSearch size={17} />
        </ActionIcon>
      </Tooltip>
      <AccountButton isSmall />
    </header>
  );
}

interface OpenWork {
  readonly count: number;
  readonly what: string;
}

/** What is still open in a stage, as far as it is known. */
function useOpenWork(at: Workspace): Partial<Record<Step, OpenWork>> {
  useEvent(at.troubles.events, 'changed');
  useEvent(at.checkUp.events, 'changed');
  const wrong = (at.checkUp.findings ?? []).filter(
    ({ severity, settled }) => severity !== 'note' && !settled,
  );
  const troubles = at.troubles.list().length;
  const troubled = at.troubles.byJoint().reduce((sum, count) => sum + Number(count > 0), 0);
  return {
    ...(troubles > 0 && {
      trial: {
        count: troubles,
        what: `${counted(troubles, 'place', 'places')} where weight strays, jumps, or bends worse than on the other side`,
      },
    }),
    ...(wrong.length > 0 && {
      'check-in': { count: wrong.length, what: wrong.map(({ message }) => message).join(' ') },
    }),
    ...(troubled > 0 && {
      paint: {
        count: troubled,
        what: `${counted(troubled, 'joint has', 'joints have')} weight that strays or jumps, or worse bends than on the other side`,
      },
    }),
  };
}

function HistoryButtons({ at }: { at: Workspace }) {
  useEvent(at.document.events, 'history');
  const undo = at.document.history.done?.top;
  const redo = at.document.history.undone?.top;
  return (
    <>
      <Button
        variant="subtle"
        leftSection={<IconArrowBackUp size={16} />}
        disabled={!undo}
        onClick={() => void at.document.undo()}
        maw={210}
        aria-keyshortcuts="Control+Z"
      >
        {undo ? `Undo “${undo.label}”` : 'Undo'}
      </Button>
      <Tooltip label={redo ? `Redo “${redo.label}”` : 'Nothing to redo'}>
        <ActionIcon
          variant="subtle"
          disabled={!redo}
          onClick={() => void at.document.redo()}
          aria-label={redo ? `Redo “${redo.label}”` : 'Redo'}
          aria-keyshortcuts="Control+Shift+Z"
        >
          <IconArrowForwardUp size={16} />
        </ActionIcon>
      </Tooltip>
    </>
  );
}
