import { Badge, Tooltip } from '@mantine/core';
import { useEvent } from '../../document/useEvent.ts';
import type { Editing } from '../../scene/Editing.ts';

/** So many names fit beside the rest of the bar. */
const MOST = 2;

/** Who else is here, and the joint that each has in hand. A click takes the same joint. */
export function Company({ at }: { at: Editing }) {
  useEvent(at.document.events, 'others');
  useEvent(at.document.events, 'joints');
  const { others } = at.document;
  if (others.length === 0) return null;
  const rest = others.slice(MOST);
  const words = (joint: number | null): string => (joint === null ? '' : at.document.jointName(joint));
  return (
    <div className="company" role="group" aria-label="Who else is here">
      {others.slice(0, MOST).map(({ page, name: own, isMe, joint }) => {
        const name = isMe ? 'You, elsewhere' : own;
        return (
          <Tooltip
            key={page}
            label={joint === null ? `${name} looks at this character` : `${name} has ${words(joint)} in hand`}
          >
            <button
              type="button"
              className="company-one"
              disabled={joint === null}
              onClick={() => joint !== null && at.scene.chooseJoint(joint)}
            >
              <span>{name}</span>
              {joint !== null && <span className="card-line">{words(joint)}</span>}
            </button>
          </Tooltip>
        );
      })}
      {rest.length > 0 && (
        <Tooltip label={rest.map(({ name, joint }) => `${name} ${words(joint)}`.trim()).join(', ')}>
          <Badge variant="default">{`+${rest.length}`}</Badge>
        </Tooltip>
      )}
    </div>
  );
}
