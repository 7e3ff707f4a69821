import { useEvent } from '../document/useEvent.ts';
import type { Workspace } from './Workspace.ts';

/** Below a bad bend: what is wrong with the joint's weights, and its cure. */
export function RowTroubles({ at, joint }: { at: Workspace; joint: number }) {
  useEvent(at.troubles.events, 'changed');
  return at.troubles.of(joint).map((trouble) => (
    <div key={trouble.key} className="rank-acts">
      <span className="rank-words">{trouble.words}.</span>
      <button type="button" onClick={trouble.cure}>
        {trouble.cureWords.toLowerCase()}
      </button>
      <button type="button" onClick={trouble.propose}>
        look first
      </button>
    </div>
  ));
}
