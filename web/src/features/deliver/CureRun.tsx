import type { Editing } from '../../scene/Editing.ts';
import { RunButton } from '../../trial/RunButton.tsx';
import type { Delivering } from './Delivering.ts';

interface CureRunProps {
  readonly at: Editing & { readonly delivering: Delivering };
  readonly what: string;
  readonly label: string;
  readonly run: () => Promise<void>;
}

/** Begins a search that takes a while, tells how far it is, and ends it. */
export function CureRun({ at, what, label, run }: CureRunProps) {
  const { working } = at.delivering;
  return (
    <div className="limit-cure">
      <RunButton
        running={working?.what === what ? working : undefined}
        run={() => void run().catch(at.document.notifyError)}
        stop={() => at.delivering.stop()}
        label={label}
      />
    </div>
  );
}
