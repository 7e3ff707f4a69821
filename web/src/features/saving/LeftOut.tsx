import { counted } from '@judoka/core/document';
import { Button, Group } from '@mantine/core';
import { countPoints } from '@judoka/core/weights';
import { useEvent } from '../../document/useEvent.ts';
import { NO_MARKS } from '../../scene/Scene.ts';
import type { Editing } from '../../scene/Editing.ts';

/** Where others had come first and an edit could not be taken whole: which points, and one step to have one's own there. */
export function LeftOut({ at }: { at: Editing }) {
  useEvent(at.document.events, 'notTaken');
  const { leftOut } = at.document;
  if (leftOut.length === 0) return null;
  const count = countPoints(leftOut);
  const close = (): void => {
    at.scene.setMarks(NO_MARKS);
    at.document.leaveTheirs();
  };
  const takeMine = (): void => {
    at.scene.setMarks(NO_MARKS);
    at.document.takeLeftOut().catch(at.document.notifyError);
  };
  return (
    <div className="stage-card" role="dialog" aria-label="Others came first" data-left-out={count}>
      <strong>Others came first</strong>
      <p>
        {count === 1
          ? 'At one point what you did could not be taken whole: somebody else had given its weight away.'
          : `At ${counted(count, 'point')} what you did could not be taken whole: somebody else had given their weight away.`}
      </p>
      <Group gap={6}>
        <Button
          variant="default"
          onClick={() =>
            at.scene.setMarks({
              points: new Map(leftOut.map(({ part, points }) => [part, points])),
              joints: [],
            })
          }
        >
          Show me
        </Button>
        <Button onClick={takeMine}>Take mine there</Button>
        <Button variant="subtle" onClick={close}>
          Leave theirs
        </Button>
      </Group>
    </div>
  );
}
