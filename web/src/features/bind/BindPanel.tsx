import { counted } from '@judoka/core/document';
import { Button, Group, Progress } from '@mantine/core';
import { ActionButton } from '../../ui/ActionButton.tsx';
import { BIND_WORDS, bindNotes } from '@judoka/core/operations/bind';
import { useEffect, useRef, useState } from 'react';
import { runBind } from './bindRun.ts';
import { nextTurn } from '../../document/turns.ts';
import { useEvent } from '../../document/useEvent.ts';
import type { UiSettings } from '../../settings/uiSettings.ts';
import { useUiSettings } from '../../settings/store.ts';
import { confinesOf, deformingJoints, isBound, openPoints } from '../../scene/scope.ts';
import { BindSettings } from '../../settings/BindSettings.tsx';
import { SettingSwitch } from '../../settings/SettingSwitch.tsx';
import type { Editing } from '../../scene/Editing.ts';
import { isAbort, messageOf } from '@judoka/core/errors';

type At = Editing;

type Work =
  | { readonly kind: 'idle' }
  | { readonly kind: 'binding'; readonly share: number }
  | { readonly kind: 'failed'; readonly message: string };

/** A first binding of the parts that are shown: choose, bind, look at old against new, keep. */
export function BindPanel({ at }: { at: At }) {
  useEvent(at.document.events, 'shown');
  const { bindMethod, softness, limit, bindSelected, bindChosen } = useUiSettings(
    'bindMethod',
    'softness',
    'limit',
    'bindSelected',
    'bindChosen',
  );
  const [work, setWork] = useState<Work>({ kind: 'idle' });
  const stop = useRef<AbortController>(undefined);
  useEffect(() => () => stop.current?.abort(), [at]);

  const bind = (): void => {
    const control = new AbortController();
    stop.current = control;
    setWork({ kind: 'binding', share: 0 });
    bindShown(
      at,
      { bindMethod, softness, limit, bindSelected, bindChosen },
      (share) => setWork({ kind: 'binding', share }),
      control.signal,
    ).then(
      () => setWork({ kind: 'idle' }),
      (error: unknown) =>
        setWork(isAbort(error) ? { kind: 'idle' } : { kind: 'failed', message: messageOf(error) }),
    );
  };

  const busy = work.kind === 'binding';
  return (
    <section className="group">
      <h2>First binding</h2>
      <BindSettings disabled={busy} />
      <Scope at={at} busy={busy} />
      <Touches at={at} />
      {busy ? (
        <Group gap={8} wrap="nowrap" role="status" aria-label="Binding">
          <Progress value={work.share * 100} style={{ flex: 1 }} aria-label="Share that is done" />
          <Button variant="default" onClick={() => stop.current?.abort()}>
            Stop
          </Button>
        </Group>
      ) : (
        <ActionButton name="Bind" fullWidth onClick={bind}>
          Bind
        </ActionButton>
      )}
      {work.kind === 'failed' && (
        <div className="trouble" role="alert">
          {work.message}
        </div>
      )}
    </section>
  );
}

/** Says before what a binding will touch. */
function Touches({ at }: { at: At }) {
  useEvent(at.scene.events, 'parts');
  useEvent(at.document.events, 'values');
  const parts = at.scene.parts.filter(({ visible, part }) => visible && part.role === 'skinned');
  const points = parts.reduce((sum, { part }) => sum + part.pointCount, 0);
  const locked = at.document.locks.reduce((sum, one) => sum + one, 0);
  const still = at.document.nonDeforming.size;
  const more = [
    ...(locked > 0
      ? [`${locked} locked ${locked === 1 ? 'joint keeps its' : 'joints keep their'} weights`]
      : []),
    ...(still > 0 ? [`${still} ${still === 1 ? 'joint gets' : 'joints get'} none`] : []),
  ];
  return (
    <p className="card-line">
      {counted(points, 'point')} on {parts.length === 1 ? 'the one part' : `the ${parts.length} parts`} shown
      {more.length > 0 ? `; ${more.join(', ')}` : ''}.
    </p>
  );
}

/** Whether a binding is for all points and joints, or for some. */
function Scope({ at, busy }: { at: At; busy: boolean }) {
  useEvent(at.scene.events, 'selection');
  useEvent(at.scene.events, 'joint');
  const chosen = at.scene.chosenJoints().length;
  return (
    <>
      <SettingSwitch
        setting="bindSelected"
        mb={6}
        label={`Selected points only (${at.scene.selection.count.toLocaleString('en')})`}
        disabled={busy}
      />
      <SettingSwitch setting="bindChosen" mb={8} label={`Chosen joints only (${chosen})`} disabled={busy} />
    </>
  );
}

type Wish = Pick<UiSettings, 'bindMethod' | 'softness' | 'limit' | 'bindSelected' | 'bindChosen'>;

/** Binds the shown parts and puts the result on the stage. */
async function bindShown(
  at: At,
  { bindMethod, softness, limit, bindSelected, bindChosen }: Wish,
  tell: (share: number) => void,
  signal: AbortSignal,
): Promise<void> {
  const {
    document: { character, skeleton, locks },
    scene: { parts },
  } = at;
  const selected = bindSelected ? at.scene.selection.points() : undefined;
  if (selected?.size === 0) throw new Error('No point is selected. Select points, or bind all of them.');
  const shown = parts
    .filter(({ index, visible }) => visible && isBound(at, index) && (!selected || selected.has(index)))
    .map(({ index }) => index);
  // Copying and sending are much for one turn of the page.
  const rows = at.document.copyRows();
  await nextTurn();
  const { change, report } = await runBind(
    { parts: character.parts, skeleton, rows },
    {
      method: bindMethod,
      parts: shown,
      points: openPoints(at, selected),
      deforming: deformingJoints(at, bindChosen ? at.scene.chosenJoints() : undefined),
      softness,
      limit,
      locks: locks.slice(),
      confines: confinesOf(at),
    },
    tell,
    signal,
  );
  const notes = bindNotes(report, (part) => at.document.partName(part));
  await at.document.proposals.propose(BIND_WORDS[bindMethod], change, { notes });
  if (report.changed === 0) at.document.notify('The binding is just as it was: nothing changed.');
}
