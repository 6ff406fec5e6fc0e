/** The messages that are on screen. F8 takes the focus to them. */
import { X } from 'lucide-react';
import { Toast } from 'radix-ui';

export interface Said {
  id: number;
  words: string;
}

export default function ShownToasts({ said, gone }: { said: readonly Said[]; gone: (id: number) => void }) {
  return (
    <Toast.Provider label="Message" duration={8000} swipeDirection="down">
      {said.map(({ id, words }) => (
        <Toast.Root
          key={id}
          className="flex items-center gap-3 rounded border border-slate bg-base-100 py-1.5 pr-1.5 pl-4 shadow-lg"
          onOpenChange={(open) => open || gone(id)}
        >
          <Toast.Description className="flex-1">{words}</Toast.Description>
          <Toast.Close className="btn btn-xs btn-square btn-ghost" aria-label="Dismiss">
            <X size={14} aria-hidden />
          </Toast.Close>
        </Toast.Root>
      ))}
      <Toast.Viewport className="fixed bottom-14 left-1/2 z-50 flex w-max max-w-[90vw] -translate-x-1/2 flex-col gap-2" />
    </Toast.Provider>
  );
}
