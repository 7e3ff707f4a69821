import '@mantine/core/styles.css';
import '@mantine/notifications/styles.css';
import '@mantine/spotlight/styles.css';
import '@fontsource-variable/figtree';
import '@fontsource/ibm-plex-mono/400.css';
import './theme/styles.css';
import { MantineProvider } from '@mantine/core';
import { Notifications } from '@mantine/notifications';
import { StrictMode } from 'react';
import { createRoot } from 'react-dom/client';
import { Provider } from 'react-redux';
import { createBrowserRouter, Navigate, RouterProvider } from 'react-router';
import { BenchPage } from './bench/BenchPage.tsx';
import { ErrorPage } from './ErrorPage.tsx';
import { ShelfPage } from './shelf/ShelfPage.tsx';
import { store } from './state/store.ts';
import { cssVariables, theme } from './theme/theme.ts';

const router = createBrowserRouter([
  { path: '/', element: <ShelfPage />, errorElement: <ErrorPage /> },
  { path: '/characters/:id', element: <Navigate to="paint" replace />, errorElement: <ErrorPage /> },
  { path: '/characters/:id/:stage', element: <BenchPage />, errorElement: <ErrorPage /> },
  { path: '*', element: <ErrorPage /> },
]);

createRoot(document.getElementById('root') as HTMLElement).render(
  <StrictMode>
    <Provider store={store}>
      <MantineProvider theme={theme} cssVariablesResolver={cssVariables} defaultColorScheme="light">
        <Notifications position="bottom-center" />
        <RouterProvider router={router} />
      </MantineProvider>
    </Provider>
  </StrictMode>,
);
