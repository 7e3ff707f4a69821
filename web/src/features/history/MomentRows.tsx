import { Button } from '@mantine/core';
import { IconBookmark, IconFlag3, IconFileImport } from '@tabler/icons-react';
import type { SavedMoment, WithId } from '@judoka/core/document';
import { useState, type ReactNode } from 'react';
import { AS_IT_CAME, beforeLine, type MomentChoice } from '../../document/moments/Moments.ts';
import { useEvent } from '../../document/useEvent.ts';
import { momentWords } from '../../ui/momentWords.ts';
import type { HistoryAt } from './historyAt.ts';
import { MomentActions } from './MomentActions.tsx';

/** Named moments, those before large steps, and the file as it came. */
export function MomentRows({ at }: { at: HistoryAt }) {
  const { moments } = at.document;
  useEvent(at.document.events, 'values');
  useEvent(moments.events, 'changed');
  const [chosen, setChosen] = useState<string>();
  const row = (key: string, icon: ReactNode, choice: MomentChoice, extra?: ReactNode) => (
    <li key={key}>
      <div className="history-line" data-chosen={chosen === key}>
        <button
          type="button"
          className="history-row moment-row"
          aria-expanded={chosen === key}
          onClick={() => setChosen(chosen === key ? undefined : key)}
        >
          <span className="history-mark">{icon}</span>
          <span className="history-label">{choice.name}</span>
          <span className="figures">{choice.madeAt === undefined ? '' : momentWords(choice.madeAt)}</span>
        </button>
        {chosen === key && (
          <div className="history-open">
            <MomentActions at={at} name="" choice={choice} />
            <div className="history-acts">
              {at.document.mayChange && <TakeAllBack at={at} choice={choice} />}
              {extra}
            </div>
          </div>
        )}
      </div>
    </li>
  );
  return (
    <div className="history-scroll" data-moments={moments.named.length}>
      <ol>
        {moments.named.map((moment) =>
          row(
            moment.id,
            <IconBookmark size={14} />,
            { name: moment.name, at: moment.edit, madeAt: moment.savedAt },
            at.document.mayChange && <NameActs at={at} moment={moment} />,
          ),
        )}
        {moments.large.map((line) => row(line.id, <IconFlag3 size={14} />, beforeLine(line)))}
        {row('came', <IconFileImport size={14} />, AS_IT_CAME)}
      </ol>
      {moments.named.length === 0 && (
        <p className="card-line history-note">
          K keeps the character as it is now under a name. Before large steps a moment is kept by itself.
        </p>
      )}
    </div>
  );
}

function NameActs({ at, moment }: { at: HistoryAt; moment: WithId<SavedMoment> }) {
  const [name, setName] = useState<string>();
  const { moments } = at.document;
  if (name === undefined)
    return (
      <>
        <button type="button" className="word" onClick={() => setName(moment.name)}>
          Rename
        </button>
        <button type="button" className="word" onClick={() => moments.forget(moment)}>
          Forget
        </button>
      </>
    );
  const keep = (): void => {
    if (name.trim() !== '' && name.trim() !== moment.name) moments.rename(moment, name.trim());
    setName(undefined);
  };
  return (
    <input
      className="rename"
      aria-label="Name of the moment"
      // eslint-disable-next-line jsx-a11y/no-autofocus -- it was just asked for
      autoFocus
      maxLength={120}
      value={name}
      onChange={(event) => setName(event.currentTarget.value)}
      onBlur={keep}
      onKeyDown={(event) => {
        if (event.key === 'Enter') keep();
        if (event.key === 'Escape') setName(undefined);
      }}
    />
  );
}

/** Taking the whole character back says first what it touches. */
function TakeAllBack({ at, choice }: { at: HistoryAt; choice: MomentChoice }) {
  const { document, momentLook } = at;
  const [touched, setTouched] = useState<string>();
  const ask = (): void => {
    momentLook.describeTakeBack(choice).then(setTouched, document.notifyError);
  };
  if (touched === undefined)
    return (
      <button type="button" className="word" onClick={ask}>
        Take all back to here …
      </button>
    );
  const takeBack = (): void => {
    setTouched(undefined);
    document
      .dropShown()
      .then(() => momentLook.takeBack(choice))
      .catch(document.notifyError);
  };
  return (
    <div className="history-ask">
      <p className="card-line">
        {`Changes ${touched}. Weights, joints, locks, names and ranges become what they were; named moments and the pose stay. It can be undone.`}
      </p>
      <Button size="compact-sm" onClick={takeBack}>
        Take all back
      </Button>{' '}
      <Button size="compact-sm" variant="default" onClick={() => setTouched(undefined)}>
        Leave it
      </Button>
    </div>
  );
}
