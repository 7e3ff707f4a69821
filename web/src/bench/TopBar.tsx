import { ActionIcon, Button, Tooltip, useMantineColorScheme } from '@mantine/core';
import { spotlight } from '@mantine/spotlight';
import { IconArrowBackUp, IconArrowForwardUp, IconCommand, IconMoon, IconSun } from '@tabler/icons-react';
import { Link, NavLink } from 'react-router';
import type { CharacterSession } from '../session/CharacterSession.ts';
import type { SaveState } from '../session/outbox.ts';
import { useTopic } from '../session/useTopic.ts';
import { STEP_NAMES, STEPS, type Step } from './steps.ts';

export function TopBar({ session, step }: { session: CharacterSession; step: Step }) {
  const { colorScheme, toggleColorScheme } = useMantineColorScheme();
  const open = useOpenWork(session);
  return (
    <header className="top">
      <Tooltip label="Back to the shelf">
        <Link to="/" className="top-name" style={{ color: 'inherit', textDecoration: 'none' }}>
          {session.name}
        </Link>
      </Tooltip>
      <nav className="steps" aria-label="Stages">
        {STEPS.map((each) => (
          <NavLink
            key={each}
            to={`/characters/${session.id}/${each}`}
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
      <SaveWords session={session} />
      <HistoryButtons session={session} />
      <Tooltip label={colorScheme === 'dark' ? 'Day' : 'Night practice'}>
        <ActionIcon variant="subtle" aria-label="Day or night practice" onClick={toggleColorScheme}>
          {colorScheme === 'dark' ? <IconSun size={17} /> : <IconMoon size={17} />}
        </ActionIcon>
      </Tooltip>
      <Tooltip label="Commands (Ctrl+K)">
        <ActionIcon variant="subtle" aria-label="Commands" onClick={() => spotlight.open()}>
          <IconCommand size={17} />
        </ActionIcon>
      </Tooltip>
    </header>
  );
}

interface OpenWork {
  readonly count: number;
  readonly what: string;
}

/** What is still open in a stage, as far as it is known. */
function useOpenWork(session: CharacterSession): Partial<Record<Step, OpenWork>> {
  useTopic(session, 'strays');
  const troubled = session.strays.counts.reduce((n, count) => n + (count > 0 ? 1 : 0), 0);
  useTopic(session, 'findings');
  const wrong = (session.check.findings ?? []).filter(
    ({ severity, settled }) => severity !== 'note' && !settled,
  );
  useTopic(session, 'trial');
  const strays = (session.trial.strays ?? []).filter(
    (stray) => !stray.twin && !session.trial.isDismissed(stray),
  );
  return {
    ...(strays.length > 0 && {
      trial: { count: strays.length, what: `${strays.length} patches of weight stray` },
    }),
    ...(wrong.length > 0 && {
      'check-in': { count: wrong.length, what: wrong.map(({ message }) => message).join(' ') },
    }),
    ...(troubled > 0 && {
      paint: { count: troubled, what: `${troubled} joints have tiny weights or weight apart` },
    }),
  };
}

function wordsFor(state: SaveState): string {
  const strokes = 'count' in state ? `${state.count} ${state.count === 1 ? 'stroke' : 'strokes'}` : '';
  switch (state.kind) {
    case 'saved':
      return 'All saved';
    case 'saving':
      return `Saving ${strokes}`;
    case 'offline':
      return `Offline: ${strokes} kept here`;
    case 'failed':
      return `Not saved: ${strokes} kept here`;
    default:
      return '';
  }
}

function SaveWords({ session }: { session: CharacterSession }) {
  useTopic(session, 'saving');
  const state = session.saveState;
  return (
    <Tooltip
      label={
        state.kind === 'failed'
          ? state.message
          : 'Every stroke is kept in this browser until the server has it'
      }
    >
      <span className="save-state" data-state={state.kind} role="status">
        {wordsFor(state)}
      </span>
    </Tooltip>
  );
}

function HistoryButtons({ session }: { session: CharacterSession }) {
  useTopic(session, 'history');
  const { done, undone } = session.history;
  const undo = done[done.length - 1];
  const redo = undone[undone.length - 1];
  return (
    <>
      <Button
        variant="subtle"
        leftSection={<IconArrowBackUp size={16} />}
        disabled={!undo}
        onClick={() => void session.undo()}
        maw={210}
        aria-keyshortcuts="Control+Z"
      >
        {undo ? `Undo “${undo.label}”` : 'Undo'}
      </Button>
      <Tooltip label={redo ? `Redo “${redo.label}”` : 'Nothing to redo'}>
        <ActionIcon
          variant="subtle"
          disabled={!redo}
          onClick={() => void session.redo()}
          aria-label={redo ? `Redo “${redo.label}”` : 'Redo'}
          aria-keyshortcuts="Control+Shift+Z"
        >
          <IconArrowForwardUp size={16} />
        </ActionIcon>
      </Tooltip>
    </>
  );
}
