import { counted } from '@judoka/core/document';
import { Group } from '@mantine/core';
import type { ReactNode } from 'react';
import { ActionButton } from '../../ui/ActionButton.tsx';
import { setSkinned } from '../../document/partRoles.ts';
import { useEvent } from '../../document/useEvent.ts';
import { confinesOf, isBound } from '../../scene/scope.ts';
import { shownParts } from '../../scene/shownParts.ts';
import { settingsChanged } from '../../settings/uiSettings.ts';
import { useAppDispatch, useUiSettings } from '../../settings/store.ts';
import { BindSettings } from '../../settings/BindSettings.tsx';
import { SettingSwitch } from '../../settings/SettingSwitch.tsx';
import type { Editing } from '../../scene/Editing.ts';
import { BindingTable } from './BindingTable.tsx';
import type { BindRuns } from './BindRuns.ts';

type At = Editing;

/**
 * A first binding of the parts that are shown: choose, bind or compare, look at old against new, keep.
 * @param settle how to go on from what is proposed
 */
export function BindPanel({ at, runs, settle }: { at: At; runs: BindRuns; settle: ReactNode }) {
  const dispatch = useAppDispatch();
  useEvent(runs.events, 'changed');
  const { bindMethod, ...wish } = useUiSettings(
    'bindMethod',
    'softness',
    'limit',
    'bindSelected',
    'bindChosen',
  );
  const busy = runs.running?.isMeasuring === false;
  const compare = (): void => {
    // All of them are seen at once, in the same bends.
    dispatch(settingsChanged({ stripSource: 'proposed' }));
    void runs.compare(wish);
  };
  return (
    <>
      <BindingTable at={at} runs={runs} limit={wish.limit} />
      {settle}
      <section className="group">
        <h2>First binding</h2>
        <BindSettings disabled={busy} />
        <Scope at={at} busy={busy} />
        <Touches at={at} onlySelected={wish.bindSelected} />
        <FixedParts at={at} />
        <Group gap={6} grow wrap="nowrap">
          <ActionButton name="Bind" loading={busy} onClick={() => void runs.bind(bindMethod, wish)}>
            Bind
          </ActionButton>
          <ActionButton name="Compare all methods" variant="default" disabled={busy} onClick={compare}>
            Compare all
          </ActionButton>
        </Group>
        {runs.failure && (
          <div className="trouble" role="alert">
            {runs.failure}
          </div>
        )}
      </section>
    </>
  );
}

/** Says before what a binding will touch. */
function Touches({ at, onlySelected }: { at: At; onlySelected: boolean }) {
  useEvent(at.scene.events, 'parts');
  useEvent(at.scene.events, 'selection');
  useEvent(at.document.events, 'values');
  useEvent(at.document.events, 'joints');
  const { document, scene } = at;
  const bound = shownParts(at.scene.parts).filter(({ index }) => isBound(at, index));
  const selected = onlySelected ? scene.selection.points() : undefined;
  const counts = bound
    .map(({ index, part }) => (selected ? (selected.get(index)?.length ?? 0) : part.pointCount))
    .filter((count) => count > 0);
  const points = counts.reduce((sum, count) => sum + count, 0);
  const locked = document.locks.reduce((sum, one) => sum + one, 0);
  const confined = confinesOf(at).size;
  const more = [
    ...(locked > 0
      ? [`${counted(locked, 'locked joint keeps its', 'locked joints keep their')} weights`]
      : []),
    ...(document.nonDeforming.size > 0
      ? [`${counted(document.nonDeforming.size, 'joint gets', 'joints get')} none`]
      : []),
    ...(confined > 0 ? [`${counted(confined, 'joint keeps', 'joints keep')} to a saved selection`] : []),
  ];
  return (
    <p className="card-line" data-touches={points}>
      {points === 0
        ? onlySelected
          ? 'No point of a part that can be bound is selected'
          : 'No part that can be bound is shown'
        : `${counted(points, onlySelected ? 'selected point' : 'point')} on ${counts.length === 1 ? 'one part' : `${counts.length} parts`}`}
      {more.length > 0 ? `; ${more.join(', ')}` : ''}.
    </p>
  );
}

/** Parts that a binding leaves alone, as the file gives them no weights, and how to change that. */
function FixedParts({ at }: { at: At }) {
  useEvent(at.scene.events, 'parts');
  useEvent(at.document.events, 'joints');
  const fixed = at.scene.parts.filter(({ visible, part }) => visible && part.role === 'fixed');
  if (fixed.length === 0) return null;
  const names = fixed.map(({ index }) => at.document.partName(index));
  return (
    <div className="card-line">
      <p style={{ margin: '0 0 6px' }}>
        {names.slice(0, 3).join(', ')}
        {names.length > 3 ? ` and ${names.length - 3} more` : ''} {names.length === 1 ? 'has' : 'have'} no
        weights in the file and {names.length === 1 ? 'follows its node' : 'follow their nodes'} whole.
      </p>
      <ActionButton
        name="Give weights to parts that follow a node"
        fullWidth
        variant="default"
        mb={8}
        onClick={() => {
          setSkinned(
            at.document,
            fixed.map(({ index }) => index),
            true,
          ).catch(at.document.notifyError);
        }}
      >
        {names.length === 1 ? 'Make it skinned' : `Make these ${names.length} skinned`}
      </ActionButton>
    </div>
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
