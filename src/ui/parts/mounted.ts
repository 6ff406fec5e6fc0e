import { useSyncExternalStore } from 'react';

const never = () => () => undefined;

/** Whether the page is alive: false while it is made on the server and taken over in the browser. */
export const useMounted = (): boolean =>
  useSyncExternalStore(
    never,
    () => true,
    () => false,
  );
