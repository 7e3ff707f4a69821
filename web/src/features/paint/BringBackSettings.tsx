import { Select } from '@mantine/core';
import { messageOf } from '@judoka/core/errors';
import { useEffect, useState } from 'react';
import { useEvent } from '../../document/useEvent.ts';
import type { MomentChoice } from '../../document/moments/Moments.ts';
import type { Editing } from '../../scene/Editing.ts';
import { settingsChanged } from '../../settings/uiSettings.ts';
import { useAppDispatch, useUiSettings } from '../../settings/store.ts';
import { momentWords } from '../../ui/momentWords.ts';
import { Segments } from '../../ui/Segments.tsx';

/** From which moment the brush brings weights back, and whether all of them. */
export function BringBackSettings({ at }: { at: Editing }) {
  const { moments } = at.document;
  useEvent(moments.events, 'changed');
  useEvent(moments.events, 'brush');
  useEvent(at.document.events, 'values');
  const dispatch = useAppDispatch();
  const { restoreAll } = useUiSettings('restoreAll');
  const trouble = useBrushMoment(at);
  const choices = moments.choices();
  const { brush } = moments;
  if (!choices.some((choice) => choice.at === brush.at)) choices.unshift(brush);
  return (
    <>
      <Select
        label="As it was"
        size="xs"
        mt={6}
        searchable
        data={choices.map((choice) => ({ value: String(choice.at), label: choiceWords(choice) }))}
        value={String(brush.at)}
        allowDeselect={false}
        onChange={(value) => {
          const choice = choices.find((each) => String(each.at) === value);
          if (choice) moments.setBrush(choice);
        }}
      />
      <Segments
        name="What comes back"
        mt={6}
        choices={{ all: 'All influences', one: 'This joint' }}
        value={restoreAll ? 'all' : 'one'}
        set={(value) => dispatch(settingsChanged({ restoreAll: value === 'all' }))}
      />
      {trouble !== undefined && <div className="trouble">{trouble}</div>}
    </>
  );
}

const choiceWords = ({ name, madeAt }: MomentChoice): string =>
  madeAt === undefined ? name : `${name}, ${momentWords(madeAt)}`;

/** Fetches what the brush paints with, before it is needed. @returns what is in the way of that */
function useBrushMoment({ document: { moments } }: Editing): string | undefined {
  const brush = useEvent(moments.events, 'brush');
  const [trouble, setTrouble] = useState<string>();
  useEffect(() => {
    moments.refresh().catch(() => undefined);
  }, [moments]);
  useEffect(() => {
    let isOver = false;
    moments.load(moments.brush).then(
      () => isOver || setTrouble(undefined),
      (error: unknown) =>
        isOver || setTrouble(`“${moments.brush.name}” cannot be had now. ${messageOf(error)}`),
    );
    return () => {
      isOver = true;
    };
  }, [moments, brush]);
  return trouble;
}
