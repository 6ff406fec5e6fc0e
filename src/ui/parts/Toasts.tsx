/** Short messages of what was done, which go by themselves. F8 takes the focus to them. */
import { X } from 'lucide-react';
import { Toast } from 'radix-ui';
import { useMounted } from './mounted.ts';
import { createContext, useCallback, useContext, useState, type ReactNode } from 'react';

const SayContext = createContext<(words: string) => void>(() => undefined);

/** Says what was done: a sentence, as plain text. */
export const useSay = (): ((words: string) => void) => useContext(SayContext);

export function Toasts({ children }: { children: ReactNode }) {
  const mounted = useMounted();
  const [said, setSaid] = useState<readonly { id: number; words: string }[]>([]);
  const say = useCallback(
    (words: string) =>
      setSaid((before) => [...before.slice(-2), { id: (before.at(-1)?.id ?? 0) + 1, words }]),
    [],
  );
  return (
    <Toast.Provider label="Message" duration={8000} swipeDirection="down">
      <SayContext.Provider value={say}>{children}</SayContext.Provider>
      {said.map(({ id, words }) => (
        <Toast.Root
          key={id}
          className="flex items-center gap-3 rounded border border-slate bg-base-100 py-1.5 pr-1.5 pl-4 shadow-lg"
          onOpenChange={(open) => open || setSaid((before) => before.filter((s) => s.id !== id))}
        >
          <Toast.Description className="flex-1">{words}</Toast.Description>
          <Toast.Close className="btn btn-xs btn-square btn-ghost" aria-label="Dismiss">
            <X size={14} aria-hidden />
          </Toast.Close>
        </Toast.Root>
      ))}
      {/* Radix writes a style attribute, which the page's security policy forbids in what the server sends */}
      {mounted && (
        <Toast.Viewport className="fixed bottom-14 left-1/2 z-50 flex w-max max-w-[90vw] -translate-x-1/2 flex-col gap-2" />
      )}
    </Toast.Provider>
  );
}
