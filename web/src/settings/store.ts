import { configureStore } from '@reduxjs/toolkit';
import { useDispatch, useSelector } from 'react-redux';
import { api } from '../api/api.ts';
import { uiSettingsSlice, storeUiSettings, type UiSettings } from './uiSettings.ts';

export const store = configureStore({
  reducer: { [api.reducerPath]: api.reducer, ui: uiSettingsSlice.reducer },
  middleware: (standard) => standard().concat(api.middleware),
});

export type RootState = ReturnType<typeof store.getState>;
export const useAppDispatch = useDispatch.withTypes<typeof store.dispatch>();
export const useAppSelector = useSelector.withTypes<RootState>();
export const useUiSettings = (): UiSettings => useAppSelector((state) => state.ui);

// Settings outlive the tab.
let last = store.getState().ui;
store.subscribe(() => {
  const { ui } = store.getState();
  if (ui === last) return;
  last = ui;
  storeUiSettings(ui);
});
