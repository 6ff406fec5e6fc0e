/** How workspaces tell what happens, with the secrets that they sign with, and how long it is kept. */
import { useMutation, useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { ask, send } from '../../../frame/api.ts';
import { useRefresh, useSigned } from '../../../frame/signed.ts';
import { Dialog } from '../../../parts/Dialog.tsx';
import { plural, Trouble, When } from '../../../parts/marks.tsx';

export function TellingDialog({ close }: { close: () => void }) {
  const { data, error, refetch } = useQuery(ask('/api/events/telling'));
  const { steward } = useSigned();
  const refresh = useRefresh();
  const [made, setMade] = useState<{ source: string; secret: string }>();
  const make = useMutation({
    mutationFn: (source: string) => send('POST', '/api/events/telling', { source }),
    onSuccess: ({ secret }, source) => {
      setMade({ source, secret });
      refresh();
    },
  });
  const end = useMutation({
    mutationFn: (source: string) => send('DELETE', '/api/events/telling', { source }),
    onSuccess: refresh,
  });
  const keep = useMutation({
    mutationFn: (keptDays: number) => send('PUT', '/api/events/telling', { keptDays }),
    onSuccess: refresh,
  });
  return (
    <Dialog title="How workspaces tell" size="medium" close={close}>
      <div className="flex flex-col gap-3 p-4">
        <p>
          A workspace sends CloudEvents to <code>/api/events/in/</code> and its name, signed as Standard
          Webhooks have it, with a secret of its own. Every workspace is asked once a minute besides; what is
          told twice is kept once.
        </p>
        {[error, make.error, end.error, keep.error].map(
          (e, n) => e && <Trouble key={n} error={e} retry={() => void refetch()} />,
        )}
        <ul className="border-t border-base-300">
          {data?.sources.map((s) => (
            <li key={s.source} className="flex items-start gap-3 border-b border-base-300 py-1.5">
              <span className="min-w-0 flex-1">
                <b>{s.name}</b>{' '}
                <span className="text-quiet">
                  {s.events ? (
                    <>
                      told of {plural(s.events, 'event')}, last <When at={s.lastAt} />
                    </>
                  ) : (
                    'has told nothing yet'
                  )}
                  {s.sends ? '; sends what happens' : '; does not send'}
                  {s.askedAt && (
                    <>
                      ; asked <When at={s.askedAt} />
                    </>
                  )}
                </span>
                {s.trouble && <span className="block text-error">{s.trouble}</span>}
                {made?.source === s.source && (
                  <span className="mt-1 flex items-center gap-2">
                    <input
                      className="input input-sm w-80 font-mono text-xs"
                      readOnly
                      aria-label="The secret"
                      value={made.secret}
                      onFocus={(e) => e.target.select()}
                    />
                    <span className="text-quiet">It is shown this once.</span>
                  </span>
                )}
              </span>
              {steward && (
                <>
                  <button
                    className="btn btn-sm"
                    disabled={make.isPending}
                    onClick={() => make.mutate(s.source)}
                  >
                    {s.sends ? 'New secret' : 'Make a secret'}
                  </button>
                  {s.sends && (
                    <button
                      className="btn btn-sm btn-ghost"
                      disabled={end.isPending}
                      onClick={() => end.mutate(s.source)}
                    >
                      End
                    </button>
                  )}
                </>
              )}
            </li>
          ))}
        </ul>
        {data && (
          <label className="flex items-center gap-2">
            Events are kept for
            <select
              className="select select-sm w-32"
              value={data.keptDays}
              disabled={!steward || keep.isPending}
              onChange={(e) => keep.mutate(Number(e.target.value))}
            >
              {[...new Set([30, 90, 180, 365, 730, data.keptDays])]
                .sort((a, b) => a - b)
                .map((n) => (
                  <option key={n} value={n}>
                    {n} days
                  </option>
                ))}
            </select>
            <span className="text-quiet">Those that a signal is made of stay with it.</span>
          </label>
        )}
      </div>
    </Dialog>
  );
}
