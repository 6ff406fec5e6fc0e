/** How workspaces tell what happens, with the secrets that they sign with, and how long it is kept. */
import { useMutation, useQuery } from '@tanstack/react-query';
import { ask, send } from '../../../frame/api.ts';
import { useRefresh, useSigned } from '../../../frame/signed.ts';
import { Dialog } from '../../../parts/Dialog.tsx';
import { plural, Trouble, When } from '../../../parts/marks.tsx';
import { SourceSecrets } from '../../../parts/SourceSecrets.tsx';

export function TellingDialog({ close }: { close: () => void }) {
  const { data, error, refetch } = useQuery(ask('/api/events/telling'));
  const { steward } = useSigned();
  const refresh = useRefresh();
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
        {[error, keep.error].map((e, n) => e && <Trouble key={n} error={e} retry={() => void refetch()} />)}
        <SourceSecrets
          called="secret"
          rows={(data?.sources ?? []).map((s) => ({
            source: s.source,
            name: s.name,
            has: s.sends,
            said: (
              <>
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
                {s.trouble && <span className="block text-error">{s.trouble}</span>}
              </>
            ),
          }))}
          make={async (source) => (await send('POST', '/api/events/telling', { source })).secret}
          end={(source) => send('DELETE', '/api/events/telling', { source })}
        />
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
