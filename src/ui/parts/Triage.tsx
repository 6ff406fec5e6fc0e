/** Deciding of findings, one or many at once: accept until a day, give to somebody, note, pick up. */
import { useMutation, useQuery } from '@tanstack/react-query';
import { useEffect, useRef, useState } from 'react';
import { send, ask } from '../frame/api.ts';
import { plural, Trouble } from './marks.tsx';
import { useRefresh, useSigned } from '../frame/signed.ts';

type Decision = Parameters<typeof send<'POST', '/api/findings/triage'>>[2]['decision'];
export type Deciding = 'accept' | 'give' | 'note';
const DAY = 86_400_000;

/** What can be done with findings; `said` tells what was done. */
export function useTriage(said: (words: string) => void) {
  const refresh = useRefresh();
  const decide = useMutation({
    mutationFn: ({ findings, decision }: { findings: number[]; decision: Decision }) =>
      send('POST', '/api/findings/triage', { findings, decision }),
    onSuccess: ({ changed }, { findings, decision }) => {
      const left = findings.length - changed;
      const what = { accept: 'accepted', reopen: 'open again', give: 'given', note: 'noted' }[decision.act];
      said(`${plural(changed, 'finding')} ${what}${left ? `; ${left} left as they were` : ''}.`);
      refresh();
    },
  });
  const pickUp = useMutation({
    mutationFn: (findings: number[]) => send('POST', '/api/findings/pick-up', { findings }),
    onSuccess: ({ picked, findings, left }) => {
      said(`${plural(picked, 'change')} picked up, of ${plural(findings, 'finding')}${left ? `; nothing lets outsiders alone into ${left} of them` : ''}.`);
      refresh();
    },
  });
  return { decide, pickUp };
} // prettier-ignore

/** The bar over the table while findings are marked. */
export function TriageBar({ marked, clear, begin, compose, said }: { marked: number[]; clear: () => void; begin: (what: Deciding) => void; compose: () => void; said: (words: string) => void }) {
  const { decide, pickUp } = useTriage(said);
  return (
    <div role="toolbar" aria-label="What to do with the marked findings" className="flex flex-wrap items-center gap-2 bg-base-200 px-4 py-1.5">
      <b>{plural(marked.length, 'finding')} marked</b>
      <button className="btn btn-sm btn-primary" disabled={pickUp.isPending} onClick={() => pickUp.mutate(marked)}>Pick up what lets outsiders in</button>
      <button className="btn btn-sm" onClick={compose}>
        Least change …
      </button>
      <button className="btn btn-sm" onClick={() => begin('accept')}>Accept …</button>
      <button className="btn btn-sm" onClick={() => begin('give')}>Give to …</button>
      <button className="btn btn-sm" onClick={() => begin('note')}>Note …</button>
      <button className="btn btn-sm btn-ghost font-normal" disabled={decide.isPending} onClick={() => decide.mutate({ findings: marked, decision: { act: 'reopen' } })}>Open what is accepted</button>
      <button className="btn btn-sm btn-ghost font-normal" onClick={clear}>Unmark</button>
      {(decide.error ?? pickUp.error) && <Trouble error={decide.error ?? pickUp.error} />}
    </div>
  );
} // prettier-ignore

const TITLE: Record<Deciding, (n: number) => string> = {
  accept: (n) => `Accept ${plural(n, 'finding')}`,
  give: (n) => `Give ${plural(n, 'finding')} to somebody`,
  note: (n) => `Note something on ${plural(n, 'finding')}`,
};

/** Asks what a decision needs, in a dialog that is left by Escape. */
export function Decide({ what, findings, close, said }: { what: Deciding; findings: number[]; close: () => void; said: (words: string) => void }) {
  const { account } = useSigned();
  const dialog = useRef<HTMLDialogElement>(null);
  const [until, setUntil] = useState(() => new Date(Date.now() + 90 * DAY).toISOString().slice(0, 10));
  const [words, setWords] = useState('');
  const [to, setTo] = useState(account.address);
  const { data: stewards } = useQuery({ ...ask('/api/stewards'), enabled: what === 'give' });
  const { decide } = useTriage(said);
  useEffect(() => dialog.current?.showModal(), []);
  const decision: Decision =
    what === 'accept' ? { act: 'accept', until, reason: words } : what === 'give' ? { act: 'give', to: to || null } : { act: 'note', note: words };
  return (
    <dialog ref={dialog} className="m-auto w-[28rem] max-w-[90vw] rounded border border-slate bg-base-100 p-0 text-base-content" aria-label={TITLE[what](findings.length)} onClose={close}>
      <form
        method="dialog"
        className="flex flex-col gap-3 p-4"
        onSubmit={(e) => {
          e.preventDefault();
          decide.mutate({ findings, decision }, { onSuccess: close });
        }}
      >
        <h2 className="text-base font-bold">{TITLE[what](findings.length)}</h2>
        {what === 'accept' && (
          <>
            <p className="text-quiet">It leaves the open ones until that day, or until it gets worse. Nothing changes in the workspace.</p>
            <label className="flex flex-col gap-1">Until and including
              <input type="date" className="input input-sm w-44" required min={new Date().toISOString().slice(0, 10)} value={until} onChange={(e) => setUntil(e.target.value)} />
            </label>
          </>
        )}
        {what === 'give' ? (
          <label className="flex flex-col gap-1">To
            <select className="select select-sm w-full" value={to} onChange={(e) => setTo(e.target.value)}>
              <option value="">nobody</option>
              {stewards?.map((s) => <option key={s.address} value={s.address}>{s.name} ({s.address})</option>)}
            </select>
          </label>
        ) : (
          <label className="flex flex-col gap-1">{what === 'accept' ? 'Why' : 'The note'}
            <textarea className="textarea h-24 w-full" required minLength={what === 'accept' ? 3 : 1} maxLength={2000} value={words} onChange={(e) => setWords(e.target.value)} autoFocus />
          </label>
        )}
        {decide.error && <Trouble error={decide.error} />}
        <div className="flex justify-end gap-2">
          <button type="button" className="btn btn-sm btn-ghost" onClick={close}>Leave it</button>
          <button className="btn btn-sm btn-primary" disabled={decide.isPending}>
            {what === 'accept' ? `Accept until ${until}` : what === 'give' ? (to ? 'Give' : 'Give to nobody') : 'Keep the note'}
          </button>
        </div>
      </form>
    </dialog>
  );
} // prettier-ignore
