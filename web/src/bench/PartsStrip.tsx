import { Tooltip } from '@mantine/core';
import type { CharacterSession } from '../session/CharacterSession.ts';
import { useTopic } from '../session/useTopic.ts';
import { PartsTree } from './PartsTree.tsx';

/** Parts as chips: a click shows or hides, a click with Shift (or a double click) shows one alone. */
export function PartsStrip({ session }: { session: CharacterSession }) {
  useTopic(session, 'parts');
  useTopic(session, 'settings');
  const shown = session.parts.filter(({ visible }) => visible).length;
  return (
    <div className="chips" role="group" aria-label="Parts">
      {session.parts.map(({ index, part, visible }) => (
        <Tooltip
          key={index}
          label={`${part.pointCount.toLocaleString('en')} points${part.role === 'fixed' ? ', no weights of its own' : ''}. Shift: alone`}
        >
          <button
            type="button"
            className="chip"
            aria-pressed={visible}
            data-alone={visible && shown === 1 && session.parts.length > 1}
            onClick={(event) =>
              event.shiftKey ? session.showing.isolate(index) : session.showing.setVisible(index, !visible)
            }
            onDoubleClick={() => session.showing.isolate(index)}
          >
            {session.partName(index)}
          </button>
        </Tooltip>
      ))}
      <PartsTree session={session} />
    </div>
  );
}
