import { configureStore } from '@reduxjs/toolkit';
import { shallowEqual, useDispatch, useSelector } from 'react-redux';
import { api } from '../api/api.ts';
import { uiSettingsSlice, storeUiSettings, type UiSettings } from './uiSettings.ts';

export const store = configureStore({
  reducer: { [api.reducerPath]: api.reducer, ui: uiSettingsSlice.reducer },
  middleware: (standard) => standard().concat(api.middleware),
});

export type RootState = ReturnType<typeof store.getState>;
export const useAppDispatch = useDispatch.withTypes<typeof store.dispatch>();
export const useAppSelector = useSelector.withTypes<RootState>();

/** Some of the person's settings; what else changes draws nothing anew. */
export function useUiSettings<Key extends keyof UiSettings>(...keys: readonly Key[]): Pick<UiSettings, Key> {
  return useAppSelector(
    ({ ui }) => Object.fromEntries(keys.map((key) => [key, ui[key]])) as Pick<UiSettings, Key>,
    shallowEqual,
  );
}

/** All of them, as they are now: for what a click does. */
export const uiSettings = (): UiSettings => store.getState().ui;

// Settings outlive the tab.
let last = store.getState().ui;
store.subscribe(() => {
  const { ui } = store.getState();
  if (ui === last) return;
  last = ui;
  storeUiSettings(ui);
});
