import type { Trouble } from './Troubles.ts';
import type { Workspace } from './Workspace.ts';

/** What is wrong at one place; a click shows it, its cure is beside it. */
export function TroubleRow({ at, trouble }: { at: Workspace; trouble: Trouble }) {
  const name = at.document.jointName(trouble.joint);
  return (
    <li data-trouble={trouble.key.split(' ')[0]} data-joint={name}>
      <button type="button" onClick={() => at.troubles.show(trouble)}>
        <span className="rank-name">{name}</span>
        <span className="rank-words">{trouble.words}</span>
      </button>
      <div className="rank-acts">
        <button type="button" onClick={trouble.cure}>
          {trouble.cureWords.toLowerCase()}
        </button>
        {trouble.dismiss && (
          <button type="button" onClick={trouble.dismiss}>
            it is meant
          </button>
        )}
      </div>
    </li>
  );
}
