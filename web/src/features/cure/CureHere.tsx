import { Button } from '@mantine/core';
import { useEvent } from '../../document/useEvent.ts';
import { chosenToCure, type CureAt, cureWords } from './CureSection.tsx';

/** Where the chosen joint's bends are seen: one press cures them; pressed again meanwhile it stops. */
export function CureHere({ at }: { at: CureAt }) {
  useEvent(at.curing.events, 'changed');
  const { curing, document } = at;
  if (!document.mayChange) return null;
  return (
    <Button
      size="compact-xs"
      variant="default"
      onClick={() => {
        if (curing.working) {
          curing.stop();
          return;
        }
        // How joints move is looked up when it is asked for, not at every stroke.
        const joints = chosenToCure(at);
        curing.cure(joints, cureWords(at, joints)).catch(document.notifyError);
      }}
    >
      {curing.working ? `Stop (${Math.round(100 * curing.working.share)}%)` : 'Cure'}
    </Button>
  );
}
