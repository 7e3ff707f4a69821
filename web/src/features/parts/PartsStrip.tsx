import { counted } from '@judoka/core/document';
import { Tooltip } from '@mantine/core';
import { useEvent } from '../../document/useEvent.ts';
import { PartsTree } from './PartsTree.tsx';
import { isThere, ROLE_WORDS } from './partWords.ts';
import type { Editing } from '../../scene/Editing.ts';

type At = Editing;

/** Parts as chips: a click shows or hides, a click with Shift (or a double click) shows one alone. */
export function PartsStrip({ at }: { at: At }) {
  useEvent(at.scene.events, 'parts');
  useEvent(at.document.events, 'values');
  const shown = at.scene.parts.filter(({ visible }) => visible).length;
  return (
    <div className="chips" role="group" aria-label="Parts">
      {at.scene.parts.filter(isThere).map(({ index, part, visible }) => (
        <Tooltip
          key={index}
          label={`${counted(part.pointCount, 'point')}${ROLE_WORDS[part.role]}. Shift: alone`}
        >
          <button
            type="button"
            className="chip"
            aria-pressed={visible}
            data-alone={visible && shown === 1 && at.scene.parts.length > 1}
            onClick={(event) =>
              event.shiftKey
                ? at.scene.visibility.isolate(index)
                : at.scene.visibility.setVisible(index, !visible)
            }
            onDoubleClick={() => at.scene.visibility.isolate(index)}
          >
            {at.document.partName(index)}
          </button>
        </Tooltip>
      ))}
      <PartsTree at={at} />
    </div>
  );
}
