import { Group, Select, Slider } from '@mantine/core';
import { UP_DIRECTIONS, UP_PATH } from '@judoka/core/document';
import { useEvent } from '../document/useEvent.ts';
import type { Workspace } from './Workspace.ts';
import { settingsChanged, type WeightView } from '../settings/uiSettings.ts';
import { useAppDispatch, useUiSettings } from '../settings/store.ts';
import { SettingSwitch } from '../settings/SettingSwitch.tsx';
import { Segments } from '../ui/Segments.tsx';

export const VIEWS: readonly { readonly value: WeightView; readonly label: string }[] = [
  { value: 'tide', label: 'Tide' },
  { value: 'grey', label: 'Grey' },
  { value: 'lines', label: 'Lines only' },
  { value: 'joints', label: 'All joints' },
  { value: 'count', label: 'Number of influences' },
  { value: 'strain', label: 'Strain' },
  { value: 'sides', label: 'Where sides differ' },
  { value: 'difference', label: 'Difference to before' },
  { value: 'cost', label: 'What a limit costs' },
  { value: 'mask', label: 'The mask' },
  { value: 'shape', label: 'The shape' },
  { value: 'plain', label: 'Plain clay' },
];

/** Some views are of something that is not always there. */
function isOpen({ delivering, masks, shapeLook }: Workspace, view: WeightView): boolean {
  if (view === 'cost') return delivering.cure !== undefined;
  if (view === 'shape') return shapeLook.shown !== undefined;
  return view !== 'mask' || masks.current !== undefined;
}

/** How weights are drawn, and how the scene stands. */
export function ViewPanel({ at }: { at: Workspace }) {
  useEvent(at.document.events, 'values');
  useEvent(at.delivering.events, 'changed');
  const dispatch = useAppDispatch();
  const { view, smooth } = useUiSettings('view', 'smooth');
  return (
    <section className="group">
      <h2>View</h2>
      <Select
        aria-label="Weights drawn as"
        data={VIEWS.filter(({ value }) => isOpen(at, value))}
        value={view}
        allowDeselect={false}
        onChange={(value) => dispatch(settingsChanged({ view: value as WeightView }))}
      />
      {at.document.character.drawing && <LayersApart at={at} />}
      {at.document.character.drawing && (
        <SettingSwitch setting="ghosts" mt={6} label="Hidden layers faintly" />
      )}
      {!at.document.character.drawing && (
        <Segments
          mt={6}
          name="Subdivided for the eye"
          choices={{ off: 'As it is', once: 'Subdivided', twice: 'Twice' }}
          value={smooth}
          set={(value) => dispatch(settingsChanged({ smooth: value }))}
        />
      )}
      <SettingSwitch setting="edges" mt={6} label="Edges" />
      <SettingSwitch setting="seeThrough" mt={6} label="See through" />
      <SettingSwitch setting="showJoints" mt={6} label="Joints" />
      <SettingSwitch setting="ground" mt={6} label="Ground under a motion" />
      {!at.document.character.drawing && (
        <Select
          label="Up is"
          size="xs"
          mt={6}
          data={UP_DIRECTIONS.map((value) => ({ value, label: value.replace('-', '−') }))}
          value={at.document.settings.up}
          allowDeselect={false}
          onChange={(value) => at.document.changeSettings({ [UP_PATH]: value === 'y' ? null : value })}
        />
      )}
    </section>
  );
}

/** Layers that lie over one another, side by side: each still hangs on its place by a thin line. */
function LayersApart({ at }: { at: Workspace }) {
  useEvent(at.scene.events, 'pose');
  return (
    <Group wrap="nowrap" gap="sm" mt={8} mb={4}>
      <span style={{ whiteSpace: 'nowrap' }}>Layers apart</span>
      <Slider
        flex={1}
        size="sm"
        min={0}
        max={1}
        step={0.01}
        label={null}
        value={at.scene.apart}
        thumbLabel="Layers apart"
        onChange={(amount) => at.scene.setApart(amount)}
      />
    </Group>
  );
}
