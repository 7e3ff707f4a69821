import '../ui/theme/mantine.css';
import '@fontsource-variable/figtree';
import '@fontsource/ibm-plex-mono/400.css';
import '../ui/theme/base.css';
import { MantineProvider } from '@mantine/core';
import { lazy, StrictMode, Suspense } from 'react';
import { createRoot } from 'react-dom/client';
import { Provider } from 'react-redux';
import { createBrowserRouter, Navigate, RouterProvider } from 'react-router';
import { ErrorPage } from './ErrorPage.tsx';
import { ShelfPage } from '../shelf/ShelfPage.tsx';
import { keepPage } from './keepPage.ts';
import { store } from '../settings/store.ts';
import { cssVariables, theme } from '../ui/theme/theme.ts';

/** Notices are kept until what shows them is here. */
const Notices = lazy(async () => ({
  default: (await import('../ui/Notices.tsx')).Notices,
}));

/** The workspace is fetched while the shelf is looked at, so that opening a character does not wait for it. */
const loadWorkspace = async () => ({
  Component: (await import('../workspace/WorkspacePage.tsx')).WorkspacePage,
});

const doors = {
  enter: async () => ({ Component: (await import('../people/EnterPage.tsx')).EnterPage }),
  signIn: async () => ({ Component: (await import('../people/SignInPage.tsx')).SignInPage }),
  join: async () => ({ Component: (await import('../people/JoinPage.tsx')).JoinPage }),
};

const router = createBrowserRouter([
  { path: '/', element: <ShelfPage />, errorElement: <ErrorPage /> },
  { path: '/enter', lazy: doors.enter, errorElement: <ErrorPage /> },
  { path: '/sign-in', lazy: doors.signIn, errorElement: <ErrorPage /> },
  { path: '/join', lazy: doors.join, errorElement: <ErrorPage /> },
  { path: '/characters/:id', element: <Navigate to="paint" replace />, errorElement: <ErrorPage /> },
  { path: '/characters/:id/:stage', lazy: loadWorkspace, errorElement: <ErrorPage /> },
  { path: '*', element: <ErrorPage /> },
]);

createRoot(document.getElementById('root') as HTMLElement).render(
  <StrictMode>
    <Provider store={store}>
      <MantineProvider theme={theme} cssVariablesResolver={cssVariables} defaultColorScheme="light">
        <Suspense fallback={null}>
          <Notices />
        </Suspense>
        <RouterProvider router={router} />
      </MantineProvider>
    </Provider>
  </StrictMode>,
);

// What cannot be fetched now is asked for again when a character is opened.
requestIdleCallback(() => {
  loadWorkspace()
    .then(keepPage)
    .catch(() => undefined);
});
