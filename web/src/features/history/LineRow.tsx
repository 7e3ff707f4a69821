import { decodeWeights, unpackFrame } from '@judoka/contract';
import { IconArrowBackUp, IconArrowForwardUp, IconFlag3 } from '@tabler/icons-react';
import { requestBytes } from '../../api/http.ts';
import { afterLine, beforeLine } from '../../document/moments/Moments.ts';
import type { HistoryAt } from './historyAt.ts';
import type { ListedLine } from './HistoryList.ts';
import { MomentActions } from './MomentActions.tsx';

interface LineRowProps {
  readonly at: HistoryAt;
  readonly line: ListedLine;
  readonly isChosen: boolean;
  readonly choose: () => void;
}

/** One line of the log; chosen, it shows what can be done with the moments before and after it. */
export function LineRow({ at, line, isChosen, choose }: LineRowProps) {
  const { kind, label, madeAt, points, touched, isLarge } = line;
  const verb = { edit: '', undo: 'Undone: ', redo: 'Done again: ' }[kind];
  const count = touched ?? points;
  return (
    <div className="history-line" data-kind={kind} data-chosen={isChosen}>
      <button type="button" className="history-row" aria-expanded={isChosen} onClick={choose}>
        <span className="figures">{timeOf(madeAt)}</span>
        <span className="history-mark">
          {kind === 'undo' && <IconArrowBackUp size={13} />}
          {kind === 'redo' && <IconArrowForwardUp size={13} />}
          {kind === 'edit' && isLarge && <IconFlag3 size={13} aria-label="A large step" />}
        </span>
        <span className="history-label" title={verb + label}>
          {verb + label}
        </span>
        <span className="figures">{count > 0 ? `${count.toLocaleString('en')} pt` : ''}</span>
      </button>
      {isChosen && (
        <div className="history-open">
          <span className="card-line">{aboutWords(at, line)}</span>
          <div className="history-acts">
            {points > 0 && (
              <button type="button" className="word" onClick={() => showPoints(at, line)}>
                Show where
              </button>
            )}
          </div>
          <MomentActions at={at} name="Before it" choice={beforeLine(line)} />
          <MomentActions at={at} name="After it" choice={afterLine(line)} />
        </div>
      )}
    </div>
  );
}

const timeOf = (moment: string): string =>
  new Date(moment).toLocaleTimeString(undefined, { hour: '2-digit', minute: '2-digit', hourCycle: 'h23' });

const MAX_NAMED = 4;

function aboutWords({ document }: HistoryAt, { joints, parts, author }: ListedLine): string {
  const named = joints.slice(0, MAX_NAMED).map((joint) => document.jointName(joint));
  const more = joints.length - named.length;
  const jointWords =
    named.length > 0 ? `${named.join(', ')}${more > 0 ? ` and ${more} more` : ''}` : undefined;
  const partWords = parts
    .filter((part) => part < document.parts.length)
    .map((part) => document.partName(part));
  return [author ?? undefined, jointWords, partWords.length > 0 ? `on ${partWords.join(', ')}` : undefined]
    .filter(Boolean)
    .join('; ');
}

/** Points out what an edit changed. */
function showPoints({ document, scene }: HistoryAt, { id, joints }: ListedLine): void {
  requestBytes(`/api/characters/${document.id}/edits/${id}`)
    .then((bytes) => {
      const [blob] = unpackFrame(bytes).blobs;
      const change = decodeWeights(blob);
      if (joints.length > 0 && joints[0] < document.skeleton.joints.length && scene.joint < 0)
        scene.chooseJoint(joints[0]);
      scene.setMarks({ points: new Map(change.map(({ part, points }) => [part, points])), joints: [] });
    })
    .catch(document.notifyError);
}
