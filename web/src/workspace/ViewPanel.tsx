import { Select } from '@mantine/core';
import { settingsChanged, type WeightView } from '../settings/uiSettings.ts';
import { useAppDispatch, useUiSettings } from '../settings/store.ts';
import { SettingSwitch } from '../settings/SettingSwitch.tsx';

export const VIEWS: readonly { readonly value: WeightView; readonly label: string }[] = [
  { value: 'tide', label: 'Tide' },
  { value: 'grey', label: 'Grey' },
  { value: 'lines', label: 'Lines only' },
  { value: 'joints', label: 'All joints' },
  { value: 'count', label: 'Number of influences' },
  { value: 'strain', label: 'Strain' },
  { value: 'plain', label: 'Plain clay' },
];

/** How weights are drawn. */
export function ViewPanel() {
  const dispatch = useAppDispatch();
  const { view } = useUiSettings('view');
  return (
    <section className="group">
      <h2>View</h2>
      <Select
        aria-label="Weights drawn as"
        data={[...VIEWS]}
        value={view}
        allowDeselect={false}
        onChange={(value) => dispatch(settingsChanged({ view: value as WeightView }))}
      />
      <SettingSwitch setting="edges" mt={6} label="Edges" />
      <SettingSwitch setting="seeThrough" mt={6} label="See through" />
      <SettingSwitch setting="showJoints" mt={6} label="Joints" />
    </section>
  );
}
