/** A dialog: Radix's, in our dress. Focus goes in, stays in, and returns to whatever opened it. */
import { X } from 'lucide-react';
import { Dialog as Radix } from 'radix-ui';
import type { ReactNode } from 'react';

const SIZES = {
  small: 'w-[min(560px,92vw)]',
  medium: 'w-[min(700px,94vw)]',
  wide: 'w-[min(1000px,94vw)]',
  /** As large as the page lets it. */
  full: 'h-[92dvh] w-[min(1240px,97vw)]',
} as const;

export function Dialog({
  title,
  aside,
  size = 'small',
  close,
  children,
}: {
  title: ReactNode;
  /** Beside the title. */
  aside?: ReactNode;
  size?: keyof typeof SIZES;
  close: () => void;
  children: ReactNode;
}) {
  return (
    <Radix.Root open onOpenChange={(open) => open || close()}>
      <Radix.Portal>
        <Radix.Overlay className="fixed inset-0 z-40 bg-black/40" />
        <Radix.Content
          aria-describedby={undefined}
          onOpenAutoFocus={(e) => {
            // a field that asks for the focus has it; else the dialog itself, from where Tab goes on
            e.preventDefault();
            (e.currentTarget as HTMLElement).focus();
          }}
          className={`fixed left-1/2 top-1/2 z-40 flex max-h-[92dvh] -translate-x-1/2 -translate-y-1/2 flex-col overflow-hidden rounded-md border border-slate bg-base-100 text-base-content shadow-xl outline-none ${SIZES[size]}`}
        >
          <header className="flex items-center gap-3 border-b border-slate px-4 py-2.5">
            <Radix.Title className="min-w-0 flex-1 truncate text-base font-bold">{title}</Radix.Title>
            {aside}
            <Radix.Close className="btn btn-sm btn-square btn-ghost" aria-label="Close">
              <X size={16} aria-hidden />
            </Radix.Close>
          </header>
          <div className="min-h-0 flex-1 overflow-auto">{children}</div>
        </Radix.Content>
      </Radix.Portal>
    </Radix.Root>
  );
}

/** The end of a dialog: leaving it, and what it is there for. */
export function DialogEnd({
  leave = 'Cancel',
  close,
  children,
}: {
  leave?: string;
  close: () => void;
  children: ReactNode;
}) {
  return (
    <div className="flex justify-end gap-2">
      <button type="button" className="btn btn-sm btn-ghost" onClick={close}>
        {leave}
      </button>
      {children}
    </div>
  );
}
