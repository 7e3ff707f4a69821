import { Select } from '@mantine/core';
import { MAX_BORDER_RINGS } from '@judoka/core/operations/rescue';
import { useEvent } from '../../document/useEvent.ts';
import { NumberField } from '../../ui/NumberField.tsx';
import type { HistoryAt } from './historyAt.ts';
import type { LookScope, LookSettings } from './MomentLook.ts';

/** How much of the moment on the stage is looked at, and would come back. */
export function MomentControls({ at }: { at: HistoryAt }) {
  const { momentLook, document, scene } = at;
  useEvent(momentLook.events, 'changed');
  useEvent(document.events, 'shown');
  useEvent(scene.events, 'selection');
  useEvent(scene.events, 'joint');
  if (!momentLook.moment) return null;
  const { scope, amount, border } = momentLook.settings;
  const selected = scene.selection.count;
  const joints = scene.chosenJoints();
  const choices: { value: LookScope; label: string; disabled?: boolean }[] = [
    { value: 'everything', label: 'Everything' },
    {
      value: 'selection',
      label: selected > 0 ? `${selected.toLocaleString('en')} selected points` : 'The selection',
      disabled: selected === 0,
    },
    {
      value: 'joints',
      label: joints.length === 1 ? document.jointName(joints[0]) : `${joints.length} chosen joints`,
      disabled: joints.length === 0,
    },
    ...scene.parts
      .filter(({ part }) => part.role === 'skinned')
      .map(({ index }) => ({ value: `part ${index}` as const, label: document.partName(index) })),
  ];
  const change = (settings: Partial<LookSettings>): void => {
    momentLook.change(settings).catch(document.notifyError);
  };
  return (
    <div className="moment-controls">
      <Select
        size="xs"
        w={150}
        label="What of it"
        data={choices}
        value={scope}
        allowDeselect={false}
        onChange={(value) => change({ scope: value as LookScope })}
      />
      <NumberField
        label="How much"
        size="xs"
        w={76}
        min={1}
        max={100}
        step={5}
        suffix=" %"
        value={Math.round(amount * 100)}
        onChange={(value) => value >= 1 && value <= 100 && change({ amount: value / 100 })}
      />
      {scope === 'selection' && (
        <NumberField
          label="Soft border"
          size="xs"
          w={84}
          min={0}
          max={MAX_BORDER_RINGS}
          step={1}
          allowDecimal={false}
          suffix=" rings"
          value={border}
          onChange={(value) => value >= 0 && value <= MAX_BORDER_RINGS && change({ border: value })}
        />
      )}
    </div>
  );
}
