/** Guard › Policies: which rules there are, what each hits, and writing them. */
import { useQuery } from '@tanstack/react-query';
import { Plus } from 'lucide-react';
import { lazy, Suspense, useState } from 'react';
import type { Policy } from '../../../core/guard/schema.ts';
import type { Account } from '../../../dto/accounts.ts';
import type { PolicyRow } from '../../../dto/guard.ts';
import { useNodeDossier } from '../../dossiers/NodeDossier.tsx';
import { ask } from '../../frame/api.ts';
import { Shell } from '../../frame/Shell.tsx';
import { useSigned } from '../../frame/signed.ts';
import { useUrl, type ViewProps } from '../../frame/url.ts';
import { count, Empty, plural, Trouble } from '../../parts/marks.tsx';
import { OnePolicy } from './policies/One.tsx';
import { MODE_WORDS } from '../../parts/policy-words.ts';

const Starters = lazy(() => import('./policies/Starters.tsx').then((m) => ({ default: m.Starters })));
const EditPolicy = lazy(() => import('./policies/Edit.tsx'));

export default function Policies({ account, search }: { account: Account; search: string }) {
  const [params, set] = useUrl(search);
  const dossier = useNodeDossier(params, set);
  return (
    <Shell account={account} path="/guard/policies" dossier={dossier}>
      <View params={params} set={set} narrow={Boolean(dossier)} />
    </Shell>
  );
}

/** What is being written: a new policy, from a starter or empty. */
type Begun = { policy?: Policy };

function View({ params, set, narrow }: ViewProps) {
  const { steward } = useSigned();
  const { data, error, refetch } = useQuery(ask('/api/policies'));
  const [choosing, setChoosing] = useState(false);
  const [begun, setBegun] = useState<Begun>();
  const chosen = params.get('policy') ? Number(params.get('policy')) : data?.[0]?.id;
  if (error) return <Trouble error={error} retry={() => void refetch()} />;
  const add = steward && (
    <button className="btn btn-sm btn-primary" onClick={() => setChoosing(true)}>
      <Plus size={14} aria-hidden /> New policy
    </button>
  );
  const dialogs = (
    <>
      {choosing && (
        <Suspense>
          <Starters
            close={() => setChoosing(false)}
            choose={(policy) => {
              setChoosing(false);
              setBegun(policy ? { policy } : {});
            }}
          />
        </Suspense>
      )}
      {begun && (
        <Suspense>
          <EditPolicy
            given={begun.policy}
            close={() => setBegun(undefined)}
            saved={(id) => {
              setBegun(undefined);
              set({ policy: String(id), rule: undefined }, 'push');
            }}
          />
        </Suspense>
      )}
    </>
  );
  if (data?.length === 0)
    return (
      <>
        <Empty action={add}>
          A policy says what must not be: a link without an end, a key that many can read. Begin with one of
          the starters. It observes, and shows what it would hit, before anything happens to anybody.
        </Empty>
        {dialogs}
      </>
    );
  return (
    <div className="flex h-full">
      {!narrow && (
        <section aria-label="Policies" className="flex w-[300px] shrink-0 flex-col border-r border-slate">
          <div className="flex items-center gap-2 px-4 pb-2 pt-2.5">
            <h1 className="flex-1 text-base font-bold">Policies</h1>
            {add}
          </div>
          <ul className="min-h-0 flex-1 overflow-auto border-t border-base-300">
            {data?.map((p) => (
              <li key={p.id}>
                <button
                  aria-current={p.id === chosen}
                  onClick={() => set({ policy: String(p.id), rule: undefined, sel: undefined }, 'push')}
                  className={`block w-full cursor-pointer border-b border-base-300 px-4 py-2 text-left ${p.id === chosen ? 'bg-base-300' : 'hover:bg-base-200'}`}
                >
                  <span className="flex gap-2">
                    <span className="min-w-0 flex-1 truncate font-medium">{p.name}</span>
                    <span className="tabular-nums">{p.lastRun ? count(p.hits) : '–'}</span>
                  </span>
                  <span className="flex justify-between gap-2 text-quiet">
                    <span className="truncate">{standing(p)}</span>
                    <span>{p.lastRun ? 'hits' : 'not judged yet'}</span>
                  </span>
                </button>
              </li>
            ))}
          </ul>
        </section>
      )}
      <div className="min-w-0 flex-1 overflow-auto" tabIndex={0} aria-label="The policy">
        {chosen !== undefined && (
          <OnePolicy key={chosen} id={chosen} params={params} set={set} narrow={narrow} />
        )}
      </div>
      {dialogs}
    </div>
  );
}

/** How many rules it has, and whether they are on. */
function standing({ rules, modes }: PolicyRow): string {
  const on = (['enforce', 'observe', 'paused'] as const).filter((m) => modes[m]);
  return on.length === 1
    ? `${plural(rules, 'rule')}, ${MODE_WORDS[on[0]!].toLowerCase()}`
    : `${plural(rules, 'rule')}: ${on.map((m) => `${modes[m]} ${MODE_WORDS[m].toLowerCase()}`).join(', ')}`;
}
