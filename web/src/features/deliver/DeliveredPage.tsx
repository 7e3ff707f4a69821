import { Button, Group } from '@mantine/core';
import type { DeliveryLine } from '@judoka/contract';
import { counted, WEIGHT_FORMAT_WORDS } from '@judoka/core/document';
import { useEffect, useState } from 'react';
import { useNavigate } from 'react-router';
import { useEvent } from '../../document/useEvent.ts';
import type { Editing } from '../../scene/Editing.ts';
import { useAppDispatch } from '../../settings/store.ts';
import { settingsChanged } from '../../settings/uiSettings.ts';
import { momentWords } from '../../ui/momentWords.ts';
import { saveFile } from '../../ui/saveFile.ts';
import { costWords } from '../../ui/lengthWords.ts';
import type { Delivering } from './Delivering.ts';
import { ReportMaker } from './ReportMaker.tsx';

type At = Editing & { readonly delivering: Delivering };

/** What left, and how; each can be fetched again as it was. And the report. */
export function DeliveredPage({ at }: { at: At }) {
  useEvent(at.delivering.events, 'changed');
  useEvent(at.document.events, 'saving');
  const [failure, setFailure] = useState('');
  const { deliveries } = at.delivering;
  useEffect(() => {
    at.delivering.refresh().then(
      () => setFailure(''),
      (error: unknown) => setFailure(error instanceof Error ? error.message : String(error)),
    );
  }, [at]);
  return (
    <>
      <ReportMaker at={at} />
      <section className="group">
        <h2>Delivered</h2>
        {failure !== '' && <p className="trouble">{failure}</p>}
        {!deliveries && failure === '' && <p className="card-line">Asking what left.</p>}
        {deliveries?.length === 0 && (
          <p className="card-line">
            Nothing has left yet. What does is kept here, to be fetched again as it was.
          </p>
        )}
      </section>
      <div role="list" aria-label="Deliveries">
        {deliveries?.map((line) => (
          <Delivered key={line.id} at={at} line={line} />
        ))}
      </div>
    </>
  );
}

function Delivered({ at, line }: { at: At; line: DeliveryLine }) {
  const { file, bytes, profile, lines, cost, madeAt, by, head, delivery } = line;
  const [sure, setSure] = useState(false);
  const unmet = lines.filter(({ isMet }) => !isMet);
  const since = at.document.proposals.head - head;
  const navigate = useNavigate();
  const dispatch = useAppDispatch();
  const compare = (): void => {
    at.delivering.compareSince(line);
    dispatch(settingsChanged({ trialPage: 'compare', view: 'difference' }));
    void navigate(`/characters/${at.document.id}/trial`);
  };
  const fetchIt = (): void => {
    at.delivering
      .fetchFile(line)
      .then((all) => saveFile(file, all, 'application/octet-stream'))
      .catch(at.document.notifyError);
  };
  return (
    <div role="listitem" className="delivered" aria-label={file}>
      <h3>{file}</h3>
      <div className="card-line">
        {momentWords(madeAt)}, by {by}; {sizeWords(bytes)}, weights in {WEIGHT_FORMAT_WORDS[delivery.weights]}
        {cost !== null && `, rounding costs ${costWords(cost, at.document.size)}`}
      </div>
      <div
        className={`trouble${unmet.length === 0 ? ' fine' : ''}`}
        title={unmet.map(({ words }) => words).join('\n')}
      >
        {unmet.length === 0
          ? `Met “${profile}”.`
          : `${counted(unmet.length, 'limit')} of “${profile}” not met.`}
      </div>
      <div className="card-line">
        {since <= 0 ? 'Nothing has changed since.' : `${counted(since, 'step')} since, in the history.`}
      </div>
      <Group gap={6} mt={6}>
        <Button size="compact-sm" variant="default" onClick={fetchIt}>
          Fetch again
        </Button>
        {since > 0 && (
          <Button size="compact-sm" variant="default" onClick={compare}>
            What changed
          </Button>
        )}
        {at.document.mayChange && (
          <Button
            size="compact-sm"
            variant="default"
            onBlur={() => setSure(false)}
            onClick={() => (sure ? at.delivering.remove(line).catch(at.document.notifyError) : setSure(true))}
          >
            {sure ? 'Really throw it away' : 'Throw away'}
          </Button>
        )}
      </Group>
    </div>
  );
}

const sizeWords = (bytes: number): string =>
  bytes < 1e6 ? `${Math.ceil(bytes / 1000)} kB` : `${(bytes / 1e6).toFixed(1)} MB`;
