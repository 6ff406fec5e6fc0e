/** Drawings of routes, fetched when one is opened. */
import { lazy, Suspense, type ComponentProps } from 'react';

const fetched = () => import('./RouteGraph.tsx');
const Dialog = lazy(() => fetched().then((m) => ({ default: m.RouteGraphDialog })));
const Drawing = lazy(() => fetched().then((m) => ({ default: m.Picture })));

export const RouteGraphDialog = (props: ComponentProps<typeof Dialog>) => (
  <Suspense>
    <Dialog {...props} />
  </Suspense>
);

export const Picture = (props: ComponentProps<typeof Drawing>) => (
  <Suspense>
    <Drawing {...props} />
  </Suspense>
);
