import { Button } from '@mantine/core';
import { useEvent } from '../../document/useEvent.ts';
import { chosenToCure, type CureAt, cureWords } from './CureSection.tsx';

/**
 * Where the chosen joint's bends are seen: one press cures them; pressed again meanwhile it stops.
 * @param asLine among other things that can be done, in a line of a list
 */
export function CureHere({ at, asLine = false }: { at: CureAt; asLine?: boolean }) {
  useEvent(at.curing.events, 'changed');
  const { curing, document } = at;
  if (!document.mayChange) return null;
  const press = (): void => {
    if (curing.working) {
      curing.stop();
      return;
    }
    // How joints move is looked up when it is asked for, not at every stroke.
    const joints = chosenToCure(at);
    curing.cure(joints, cureWords(at, joints)).catch(document.notifyError);
  };
  const words = curing.working ? `Stop (${Math.round(100 * curing.working.share)}%)` : 'Cure';
  if (asLine)
    return (
      <div className="rank-acts">
        <button type="button" onClick={press}>
          {curing.working ? words.toLowerCase() : 'cure its bends'}
        </button>
      </div>
    );
  return (
    <Button size="compact-xs" variant="default" onClick={press}>
      {words}
    </Button>
  );
}
