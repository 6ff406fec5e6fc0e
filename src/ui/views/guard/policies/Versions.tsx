/** Versions of a policy: who made which when, what each changed, and taking an old one up again. */
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import type { Policy } from '../../../../core/guard/schema.ts';
import type { PolicyPage } from '../../../../dto/guard.ts';
import { ask } from '../../../frame/api.ts';
import { useSigned } from '../../../frame/signed.ts';
import { Dialog } from '../../../parts/Dialog.tsx';
import { Trouble, When } from '../../../parts/marks.tsx';
import { differences } from './differences.ts';

export default function Versions({
  page,
  close,
  edit,
}: {
  page: PolicyPage;
  close: () => void;
  /** Opens a version to be changed and saved as the newest. */
  edit: (policy: Policy) => void;
}) {
  const { steward } = useSigned();
  const [at, setAt] = useState(page.version);
  const of = (version: number) => ask('/api/policies/versions/[id]', { id: page.id, version });
  const chosen = useQuery(of(at));
  const before = useQuery({ ...of(at - 1), enabled: at > 1 });
  const found = chosen.data && before.data && at > 1 ? differences(before.data, chosen.data) : undefined;
  const error = chosen.error ?? before.error;
  return (
    <Dialog title={`Versions of “${page.name}”`} size="medium" close={close}>
      <div className="flex h-[64vh] min-h-0">
        <ol className="w-64 shrink-0 overflow-auto border-r border-slate" aria-label="Versions">
          {page.versions.map((v) => (
            <li key={v.version}>
              <button
                aria-current={v.version === at}
                className={`block w-full cursor-pointer border-b border-base-300 px-4 py-1.5 text-left ${v.version === at ? 'bg-base-300' : 'hover:bg-base-200'}`}
                onClick={() => setAt(v.version)}
              >
                <span className="flex justify-between gap-2">
                  <b>Version {v.version}</b>
                  <span className="text-quiet">
                    <When at={v.madeAt} />
                  </span>
                </span>
                <span className="block truncate text-quiet">{v.madeBy}</span>
                {v.note && <span className="block break-words">{v.note}</span>}
              </button>
            </li>
          ))}
        </ol>
        <div className="min-w-0 flex-1 overflow-auto px-4 py-3" aria-live="polite">
          {error && <Trouble error={error} />}
          <div className="flex items-center gap-3 pb-2">
            <h3 className="flex-1 font-bold">
              {at === 1 ? 'The first version' : `What version ${at} changed`}
            </h3>
            {steward && at !== page.version && chosen.data && (
              <button className="btn btn-sm" onClick={() => edit(chosen.data)}>
                Take up again …
              </button>
            )}
          </div>
          {at === 1 && chosen.data && (
            <ul>
              {chosen.data.rules.map((r) => (
                <li key={r.id} className="border-t border-base-300 py-1">
                  {r.name} <code className="block truncate text-quiet">{r.if}</code>
                </li>
              ))}
            </ul>
          )}
          {found?.length === 0 && <p className="text-quiet">Nothing that is judged by.</p>}
          {found && found.length > 0 && (
            <ul>
              {found.map((d) => (
                <li key={d.what} className="border-t border-base-300 py-1.5">
                  <b>{d.what}</b>
                  {d.before && (
                    <span className="block break-words text-quiet">
                      before: <del>{d.before}</del>
                    </span>
                  )}
                  {d.after && (
                    <span className="block break-words">{d.before ? `after: ${d.after}` : d.after}</span>
                  )}
                </li>
              ))}
            </ul>
          )}
        </div>
      </div>
    </Dialog>
  );
}
