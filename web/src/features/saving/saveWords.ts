import type { SaveState } from '../../document/queue/saveState.ts';

type Words = Readonly<Record<SaveState['kind'], { readonly state: string; readonly means: string }>>;

/** Each state in its own words, and what it means for the one who works. */
const WORDS: Words = {
  saved: { state: 'All saved', means: 'The server has everything.' },
  saving: { state: 'Saving', means: 'Every edit is kept in this browser until the server has it.' },
  offline: {
    state: 'Offline',
    means:
      'The server cannot be reached: it is not running, or the network is away. Go on working; what you do is kept here and sent when it is back.',
  },
  databaseAway: {
    state: 'Database away',
    means:
      'The server answers, but its database does not; it is started again by itself. Go on working; what you do is kept here and sent when it is back. If it stays so, look into the log of npm start.',
  },
  diskFull: {
    state: 'Disk full',
    means:
      'The disk of the server has no room left, so nothing can be saved there. Make room, then try again; until then what you do is kept in this browser.',
  },
  readOnly: {
    state: 'Read only',
    means:
      'The database lets itself only be read just now, as it does while it is moved or mended. What you do is kept here and sent when it can be written again.',
  },
  signedOut: {
    state: 'Signed out',
    means: 'This browser is not signed in any more. Sign in again; what is kept here is sent then.',
  },
  notAllowed: {
    state: 'Not allowed',
    means:
      'You may not change this character any more: your role on its shelf is another one, or it was taken off the shelf. Save what is kept here as a file, or ask an owner of the shelf.',
  },
  serverFailed: {
    state: 'Server trouble',
    means:
      'The server failed at saving. It is tried again; what you do is kept here meanwhile. If it stays so, look into the log of npm start.',
  },
  failed: { state: 'Not saved', means: 'Saving did not go through. What you did is kept here.' },
};

const edits = (count: number): string => `${count} ${count === 1 ? 'edit' : 'edits'}`;

/** What the line at the top says. */
export function stateWords(state: SaveState): string {
  const { state: words } = WORDS[state.kind];
  if (state.kind === 'saved') return words;
  return state.kind === 'saving'
    ? `${words} ${edits(state.count)}`
    : `${words}: ${edits(state.count)} kept here`;
}

export const meaningOf = (state: SaveState): string => WORDS[state.kind].means;
