/** The changes picked up so far, whom they would hurt, and the way to a plan. */
import { useMutation, useQuery } from '@tanstack/react-query';
import { ChevronDown, ChevronUp, X } from 'lucide-react';
import { useEffect, useRef, useState } from 'react';
import type { EntryRef, Preview } from '../services/dto.ts';
import { api } from './api.ts';
import { entryWords } from './words.ts';
import { plural, Trouble } from './marks.tsx';
import { useRefresh, useSigned } from './signed.ts';

export interface TrayState {
  objects: { kind: 'grant' | 'link'; source: string; id: string }[];
  preview?: Preview;
}
export const useTray = () =>
  useQuery({ queryKey: ['tray'], queryFn: () => api<TrayState>('GET', '/api/tray') });

const ref = (e: EntryRef) => ({ kind: e.kind, source: e.source, id: e.id });

/** Picks up and puts down. */
export function usePickUp() {
  const refresh = useRefresh();
  return {
    pickUp: useMutation({
      mutationFn: (entries: EntryRef[]) => api('POST', '/api/tray', { objects: entries.map(ref) }),
      onSuccess: refresh,
    }),
    putDown: useMutation({
      mutationFn: (entries: Pick<EntryRef, 'kind' | 'source' | 'id'>[]) =>
        api('DELETE', '/api/tray', {
          objects: entries.map(({ kind, source, id }) => ({ kind, source, id })),
        }),
      onSuccess: refresh,
    }),
  };
}

/** Whether a grant or link is in the tray. */
export function useTrayHas(): (e: EntryRef) => boolean {
  const { steward } = useSigned();
  const tray = useTray();
  return (e) =>
    steward && !!tray.data?.objects.some((o) => o.kind === e.kind && o.source === e.source && o.id === e.id);
}

const listed = (words: string[]): string =>
  words.length < 2 ? words.join('') : `${words.slice(0, -1).join(', ')} and ${words[words.length - 1]}`;

/** Who loses access, in one sentence. */
export function losersWords(p: Preview): string {
  const losers = [
    p.outsiders && plural(p.outsiders, 'outsider'),
    p.guests && plural(p.guests, 'guest'),
    ...p.wholeDomains.map((d) => `everybody at ${d}`),
    p.anybody && 'anybody with the link',
  ].filter(Boolean);
  const outside = losers.length
    ? `${listed(losers as string[])} would lose access`
    : 'Nobody outside loses anything';
  return `${outside}; ${p.members ? `${plural(p.members, 'member')} would too` : 'nobody inside does'}.`;
}

export function Tray() {
  const { data } = useTray();
  const { putDown } = usePickUp();
  const [open, setOpen] = useState(false);
  const [making, setMaking] = useState(false);
  const n = data?.objects.length ?? 0;
  const preview = data?.preview;
  useEffect(() => {
    if (n === 0) setOpen(false);
  }, [n]);
  if (n === 0)
    return (
      <footer
        className="flex h-8 items-center border-t border-slate bg-base-200 px-4 text-quiet"
        aria-label="Tray"
      >
        The tray is empty. Pick up changes from a finding, and they gather here until you make a plan of them.
      </footer>
    );
  return (
    <footer className="border-t-2 border-base-content bg-base-200" aria-label="Tray">
      {open && (
        <ul className="max-h-56 overflow-auto border-b border-slate px-4 py-1">
          {preview?.changes.map((c) => (
            <li key={`${c.kind}${c.source}${c.id}`} className="flex h-8 items-center gap-2">
              <span className="min-w-0 flex-1 truncate">Withdraw {entryWords(c)}</span>
              <button
                className="btn btn-xs btn-ghost btn-square"
                aria-label={`Put down: ${entryWords(c)}`}
                onClick={() => putDown.mutate([c])}
              >
                <X size={14} aria-hidden />
              </button>
            </li>
          ))}
          {preview?.missing.map((m) => (
            <li key={`${m.kind}${m.source}${m.id}`} className="flex h-8 items-center gap-2 text-quiet">
              <span className="flex-1">This {m.kind} is not in the newest survey any more.</span>
              <button className="btn btn-xs btn-ghost" onClick={() => putDown.mutate([m])}>
                Put it down
              </button>
            </li>
          ))}
        </ul>
      )}
      <div className="flex h-11 items-center gap-3 px-4">
        <button className="btn btn-sm btn-ghost gap-1" aria-expanded={open} onClick={() => setOpen(!open)}>
          {open ? <ChevronDown size={14} aria-hidden /> : <ChevronUp size={14} aria-hidden />}
          {plural(n, 'change')} picked up
        </button>
        <span className="min-w-0 flex-1 truncate">
          {preview ? losersWords(preview) : 'Working out who would lose access …'}
        </span>
        {preview && (
          <span className="whitespace-nowrap">
            closes <b>{(preview.pointsBefore - preview.pointsAfter).toLocaleString('en')}</b> points
          </span>
        )}
        <button
          className="btn btn-sm btn-primary"
          disabled={!preview || preview.changes.length === 0}
          onClick={() => setMaking(true)}
        >
          Make a plan
        </button>
      </div>
      {making && preview && <MakePlan preview={preview} close={() => setMaking(false)} />}
    </footer>
  );
}

function MakePlan({ preview, close }: { preview: Preview; close: () => void }) {
  const dialog = useRef<HTMLDialogElement>(null);
  useEffect(() => dialog.current?.showModal(), []);
  const spots = [...new Set(preview.changes.map((c) => c.on.name))];
  const [name, setName] = useState(
    `Close outside access to ${spots[0]}${spots.length > 1 ? ` and ${spots.length - 1} more` : ''}`,
  );
  const [reason, setReason] = useState('');
  const make = useMutation({
    mutationFn: () => api<{ id: number }>('POST', '/api/plans', { name, reason }),
    onSuccess: ({ id }) => location.assign(`/remedy/plans?plan=${id}`),
  });
  return (
    <dialog ref={dialog} className="modal" onClose={close} aria-label="Make a plan">
      <form
        className="modal-box flex max-w-xl flex-col gap-3 border border-slate"
        onSubmit={(e) => {
          e.preventDefault();
          make.mutate();
        }}
      >
        <h2 className="text-lg font-bold">Make a plan of {plural(preview.changes.length, 'change')}</h2>
        <p className="text-quiet">
          Nothing happens yet: the plan is a draft that shows in full who would lose what.
        </p>
        <label className="flex flex-col gap-1">
          Name
          <input
            className="input w-full"
            value={name}
            maxLength={200}
            required
            autoFocus
            onChange={(e) => setName(e.target.value)}
          />
        </label>
        <label className="flex flex-col gap-1">
          Reason, for the ledger
          <textarea
            className="textarea w-full"
            rows={2}
            value={reason}
            maxLength={2000}
            onChange={(e) => setReason(e.target.value)}
          />
        </label>
        {make.error && <Trouble error={make.error} />}
        <div className="flex justify-end gap-2">
          <button type="button" className="btn btn-sm btn-ghost" onClick={() => dialog.current?.close()}>
            Not now
          </button>
          <button className="btn btn-sm btn-primary" disabled={make.isPending || !name.trim()}>
            Make the plan
          </button>
        </div>
      </form>
    </dialog>
  );
}
