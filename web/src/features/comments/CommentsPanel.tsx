import { ActionIcon, Button, Checkbox, Group, Textarea } from '@mantine/core';
import type { Comment } from '@judoka/contract';
import { messageOf } from '@judoka/core/errors';
import { IconX } from '@tabler/icons-react';
import { useState } from 'react';
import { useEvent } from '../../document/useEvent.ts';
import type { Editing } from '../../scene/Editing.ts';
import type { Comments } from './Comments.ts';
import { momentWords } from '../../ui/momentWords.ts';
import './comments.css';

interface At extends Editing {
  readonly comments: Comments;
}

/** What is said about the character, with the place and the joint of each, and a field to say more. */
export function CommentsPanel({ at }: { at: At }) {
  useEvent(at.comments.events, 'changed');
  const [withSettled, setWithSettled] = useState(false);
  const { comments } = at;
  if (!comments.isOpen) return null;
  const shown = withSettled ? comments.list : comments.open;
  const settled = comments.list.length - comments.open.length;
  return (
    <section className="comments" aria-label="Comments">
      <header>
        <strong>Comments</strong>
        <span className="spread" />
        <ActionIcon
          variant="subtle"
          size="sm"
          aria-label="Close the comments"
          onClick={() => comments.set({ isOpen: false, isPointing: false, place: undefined })}
        >
          <IconX size={15} />
        </ActionIcon>
      </header>
      <Write at={at} />
      <ol className="comment-list">
        {shown.map((each) => (
          <OneComment key={each.id} at={at} comment={each} />
        ))}
      </ol>
      {shown.length === 0 && <p className="card-line">Nothing to settle.</p>}
      {settled > 0 && (
        <Checkbox
          size="xs"
          label={settled === 1 ? 'Show the settled one' : `Show the ${settled} settled ones`}
          checked={withSettled}
          onChange={(event) => setWithSettled(event.currentTarget.checked)}
        />
      )}
    </section>
  );
}

function Write({ at }: { at: At }) {
  useEvent(at.scene.events, 'joint');
  const [text, setText] = useState('');
  const [refusal, setRefusal] = useState<string>();
  const { comments, scene } = at;
  const joint = scene.joint >= 0 ? scene.joint : null;
  const about = [
    comments.place && `the place on ${at.document.partName(comments.place.part)}`,
    joint !== null && at.document.jointName(joint),
  ].filter(Boolean);
  const send = async (): Promise<void> => {
    setRefusal(undefined);
    try {
      await comments.say(text.trim(), joint);
      setText('');
    } catch (error) {
      setRefusal(messageOf(error));
    }
  };
  return (
    <div className="comment-write">
      <Textarea
        aria-label="Say something"
        placeholder="What should be looked at?"
        autosize
        minRows={2}
        maxRows={6}
        maxLength={2000}
        value={text}
        onChange={(event) => setText(event.currentTarget.value)}
        onKeyDown={(event) => {
          if (event.key === 'Enter' && (event.ctrlKey || event.metaKey) && text.trim()) void send();
        }}
      />
      <p className="card-line">
        {about.length > 0 ? `About ${about.join(' and ')}` : 'Choose a joint or a place to say it about'}
      </p>
      {refusal !== undefined && (
        <p role="alert" className="comment-refused">
          {refusal}
        </p>
      )}
      <Group gap={6}>
        <Button size="compact-sm" disabled={text.trim() === ''} onClick={() => void send()}>
          Say it
        </Button>
        <Button
          size="compact-sm"
          variant={comments.isPointing ? 'filled' : 'default'}
          aria-pressed={comments.isPointing}
          onClick={() => comments.set({ isPointing: !comments.isPointing })}
        >
          {comments.isPointing ? 'Click the place' : comments.place ? 'Another place' : 'Point at a place'}
        </Button>
      </Group>
    </div>
  );
}

function OneComment({ at, comment }: { at: At; comment: Comment }) {
  const { comments, document, scene } = at;
  const { id, by, isMine, joint, madeAt, place, settledAt, text } = comment;
  const about = [
    place && place.part < document.parts.length ? document.partName(place.part) : undefined,
    joint === null ? undefined : document.jointName(joint),
  ].filter(Boolean);
  const look = (): void => {
    if (joint !== null) scene.chooseJoint(joint);
    comments.set({ chosen: id });
  };
  const maySettle = isMine || document.mayChange;
  return (
    <li data-chosen={comments.chosen === id} data-settled={settledAt !== null}>
      <button type="button" className="comment-text" onClick={look}>
        <span>{text}</span>
        <span className="card-line">
          {`${isMine ? 'You' : by}, ${momentWords(madeAt)}${about.length > 0 ? `, on ${about.join(', ')}` : ''}`}
        </span>
      </button>
      <Group gap={8}>
        {maySettle && (
          <button
            type="button"
            className="word"
            onClick={() => void comments.change(id, { settled: settledAt === null })}
          >
            {settledAt === null ? 'Settled' : 'Open again'}
          </button>
        )}
        {isMine && (
          <button type="button" className="word" onClick={() => void comments.drop(id)}>
            Take it back
          </button>
        )}
      </Group>
    </li>
  );
}
