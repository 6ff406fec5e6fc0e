/** Short messages of what was done, which go by themselves. */
import { createContext, lazy, Suspense, useCallback, useContext, useState, type ReactNode } from 'react';
import type { Said } from './ShownToasts.tsx';

/** Loaded with the first message: no view needs it before. */
const Shown = lazy(() => import('./ShownToasts.tsx'));

const SayContext = createContext<(words: string) => void>(() => undefined);

/** Says what was done: a sentence, as plain text. */
export const useSay = (): ((words: string) => void) => useContext(SayContext);

export function Toasts({ children }: { children: ReactNode }) {
  const [said, setSaid] = useState<readonly Said[]>([]);
  const say = useCallback(
    (words: string) =>
      setSaid((before) => [...before.slice(-2), { id: (before.at(-1)?.id ?? 0) + 1, words }]),
    [],
  );
  return (
    <>
      <SayContext.Provider value={say}>{children}</SayContext.Provider>
      {said.length > 0 && (
        <Suspense fallback={null}>
          <Shown said={said} gone={(id) => setSaid((before) => before.filter((s) => s.id !== id))} />
        </Suspense>
      )}
    </>
  );
}
