import { Switch, type SwitchProps } from '@mantine/core';
import { settingsChanged, type UiSettings } from './uiSettings.ts';
import { useAppDispatch, useUiSettings } from './store.ts';

/** Settings of the page that are on or off. */
type Flag = { [Key in keyof UiSettings]: UiSettings[Key] extends boolean ? Key : never }[keyof UiSettings];

/** Turns a setting of the page on and off. */
export function SettingSwitch({
  setting,
  ...rest
}: { readonly setting: Flag } & Omit<SwitchProps, 'checked' | 'onChange'>) {
  const dispatch = useAppDispatch();
  const held = useUiSettings(setting)[setting];
  return (
    <Switch
      {...rest}
      checked={held}
      onChange={(event) => dispatch(settingsChanged({ [setting]: event.currentTarget.checked }))}
    />
  );
}
