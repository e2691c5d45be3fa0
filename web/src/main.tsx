import '@fontsource-variable/spline-sans';
import '@fontsource-variable/spline-sans-mono';
import './app/look.css';
import { QueryClient, QueryClientProvider } from '@tanstack/react-query';
import { StrictMode, Suspense } from 'react';
import { createRoot } from 'react-dom/client';
import { createBrowserRouter, Link, Navigate } from 'react-router';
import { RouterProvider } from 'react-router/dom';
import { ErrorBoundary } from './app/ErrorBoundary.tsx';
import { Header } from './app/Header.tsx';
import { UndoToast } from './app/undoToast.tsx';
import { DesignPage } from './design/DesignPage.tsx';
import { patiently } from './app/patiently.ts';
import { ProjectPage } from './project/ProjectPage.tsx';
import { RemovedPage } from './project/RemovedPage.tsx';
import { RevisionsPage } from './revisions/RevisionsPage.tsx';
import { ProjectsPage } from './project/ProjectsPage.tsx';
import { applyTheme, useView } from './stores/viewStore.ts';
import page from './app/page.module.css';

const client = new QueryClient({ defaultOptions: { queries: { retry: 1, refetchOnWindowFocus: true, staleTime: 0 } } });

const ShelfPage = patiently(() => import('./shelf/ShelfPage.tsx'));
// for who works on the page: no part of what is built
const StatesPage = import.meta.env.DEV ? patiently(() => import('./states/StatesPage.tsx')) : undefined;

applyTheme(useView.getState().theme);

function Nowhere() {
  return (
    <div className={page['plain']}>
      <Header />
      <main>
        <h1>Nothing here</h1>
        <p>
          This address leads nowhere. <Link to="/">All projects</Link>
        </p>
      </main>
    </div>
  );
}

const router = createBrowserRouter([
  {
    children: [
      { path: '/', element: <ProjectsPage /> },
      { path: '/removed', element: <RemovedPage /> },
      {
        path: '/shelf',
        element: (
          <Suspense fallback={<p className="text-body-secondary">Opening…</p>}>
            <ShelfPage />
          </Suspense>
        ),
      },
      { path: '/projects/:projectId', element: <ProjectPage /> },
      { path: '/designs/:designId/revisions', element: <RevisionsPage /> },
      { path: '/designs/:designId', element: <Navigate to="stage" replace /> },
      { path: '/designs/:designId/:rung', element: <DesignPage /> },
      ...(StatesPage
        ? [
            {
              path: '/states',
              element: (
                <Suspense>
                  <StatesPage />
                </Suspense>
              ),
            },
          ]
        : []),
      { path: '*', element: <Nowhere /> },
    ],
  },
]);

createRoot(document.getElementById('root')!).render(
  <StrictMode>
    <QueryClientProvider client={client}>
      <ErrorBoundary of="The page">
        <RouterProvider router={router} />
      </ErrorBoundary>
      <UndoToast />
    </QueryClientProvider>
  </StrictMode>,
);
