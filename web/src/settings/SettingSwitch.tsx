import { Switch, type SwitchProps } from '@mantine/core';
import { settingsChanged, type BenchState } from './uiSettings.ts';
import { useAppDispatch, useBench } from './store.ts';

/** Settings of the bench that are on or off. */
type Flag = { [Key in keyof BenchState]: BenchState[Key] extends boolean ? Key : never }[keyof BenchState];

/** Turns a setting of the bench on and off. */
export function SettingSwitch({
  setting,
  ...rest
}: { readonly setting: Flag } & Omit<SwitchProps, 'checked' | 'onChange'>) {
  const dispatch = useAppDispatch();
  const bench = useBench();
  return (
    <Switch
      {...rest}
      checked={bench[setting]}
      onChange={(event) => dispatch(settingsChanged({ [setting]: event.currentTarget.checked }))}
    />
  );
}
