import { configureStore } from '@reduxjs/toolkit';
import { useDispatch, useSelector } from 'react-redux';
import { api } from '../api/api.ts';
import { benchSlice, storeBench, type BenchState } from './uiSettings.ts';

export const store = configureStore({
  reducer: { [api.reducerPath]: api.reducer, bench: benchSlice.reducer },
  middleware: (standard) => standard().concat(api.middleware),
});

export type RootState = ReturnType<typeof store.getState>;
export const useAppDispatch = useDispatch.withTypes<typeof store.dispatch>();
export const useAppSelector = useSelector.withTypes<RootState>();
export const useBench = (): BenchState => useAppSelector((state) => state.bench);

// Settings outlive the tab.
let last = store.getState().bench;
store.subscribe(() => {
  const { bench } = store.getState();
  if (bench === last) return;
  last = bench;
  storeBench(bench);
});
