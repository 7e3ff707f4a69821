import { Button, FileButton } from '@mantine/core';
import { messageOf } from '@judoka/core/errors';
import { IconBookmark, IconFlag3, IconFileImport } from '@tabler/icons-react';
import type { SavedMoment, WithId } from '@judoka/core/document';
import { useState, type ReactNode } from 'react';
import { AS_IT_CAME, beforeLine, type MomentChoice } from '../../document/moments/Moments.ts';
import { useEvent } from '../../document/useEvent.ts';
import { saveFile } from '../../ui/saveFile.ts';
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
              {at.document.mayChange && !moments.isTaken(choice) && <TakeAllBack at={at} choice={choice} />}
              <button type="button" className="word" onClick={() => giveAway(at, choice)}>
                Save as a file
              </button>
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
        {moments.taken.map((moment) => row(String(moment.at), <IconFileImport size={14} />, moment))}
        {moments.large.map((line) => row(line.id, <IconFlag3 size={14} />, beforeLine(line)))}
        {row('came', <IconFileImport size={14} />, AS_IT_CAME)}
      </ol>
      {at.document.mayChange && <TakeIn at={at} />}
      {moments.named.length === 0 && (
        <p className="card-line history-note">
          K keeps the character as it is now under a name. Before large steps a moment is kept by itself.
        </p>
      )}
    </div>
  );
}

function giveAway({ document }: HistoryAt, choice: MomentChoice): void {
  document.moments
    .give(choice)
    .then((bytes) => saveFile(`${document.name}, ${choice.name}.moment`, bytes, 'application/octet-stream'))
    .catch(document.notifyError);
}

/** A moment that was saved as a file, of this character or one with the same points. */
function TakeIn({ at: { document, momentLook } }: { at: HistoryAt }) {
  const take = async (file: File): Promise<void> => {
    try {
      const moment = document.moments.takeIn(new Uint8Array(await file.arrayBuffer()));
      await momentLook.look(moment);
    } catch (error) {
      document.notify(`“${file.name}” cannot be taken in. ${messageOf(error)}`, 'trouble');
    }
  };
  return (
    <FileButton onChange={(file) => file && void take(file)} inputProps={{ 'aria-label': 'Moment file' }}>
      {(props) => (
        <Button {...props} size="compact-sm" variant="default" mt={8}>
          Take a moment in from a file
        </Button>
      )}
    </FileButton>
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
