/** The frame of every dossier: a panel with a title, sections and a way to close it. */
import { Pin, PinOff, X } from 'lucide-react';
import type { ReactNode } from 'react';
import { Trouble } from '../parts/marks.tsx';

export interface Pinning {
  close: () => void;
  pinned: boolean;
  pin: () => void;
}

/** The frame of every dossier: what it is about, pinning and closing. */
export function DossierFrame({
  name,
  error,
  retry,
  close,
  pinned,
  pin,
  children,
}: Pinning & { name: string; error: unknown; retry: () => void; children: ReactNode }) {
  return (
    <aside
      aria-label="Dossier"
      className="flex w-[440px] shrink-0 flex-col border-l border-slate bg-base-100"
    >
      <div className="flex items-center gap-1 border-b border-slate py-1 pl-4 pr-2">
        <span className="flex-1 text-xs font-semibold text-quiet">{name}</span>
        <button
          className="btn btn-xs btn-square btn-ghost"
          aria-pressed={pinned}
          aria-label={pinned ? 'Unpin the dossier' : 'Pin the dossier'}
          title={pinned ? 'Unpin: it follows the selection' : 'Pin: it stays while you select others'}
          onClick={pin}
        >
          {pinned ? <PinOff size={14} aria-hidden /> : <Pin size={14} aria-hidden />}
        </button>
        <button className="btn btn-xs btn-square btn-ghost" aria-label="Close the dossier" onClick={close}>
          <X size={15} aria-hidden />
        </button>
      </div>
      <div className="min-h-0 flex-1 overflow-auto pb-4">
        {error ? (
          <div className="p-4">
            <Trouble error={error} retry={retry} />
          </div>
        ) : null}
        {children}
      </div>
    </aside>
  );
}

export function Section({ name, children, aside }: { name: string; children: ReactNode; aside?: ReactNode }) {
  return (
    <section className="border-t border-slate px-4 py-3">
      <h3 className="mb-1.5 flex items-baseline justify-between font-semibold">
        {name}
        <span className="text-xs font-normal text-quiet">{aside}</span>
      </h3>
      {children}
    </section>
  );
}
