/** Guard › Coverage: which spaces, files and people any rule is about, and which heavy spaces none is. */
import { useQuery } from '@tanstack/react-query';
import type { Account } from '../../../dto/accounts.ts';
import type { Coverage as Answer, Covered } from '../../../dto/guard.ts';
import { useNodeDossier } from '../../dossiers/NodeDossier.tsx';
import { ask } from '../../frame/api.ts';
import { Shell } from '../../frame/Shell.tsx';
import { useUrl, type ViewProps } from '../../frame/url.ts';
import { count, Empty, plural, Trouble, Weight } from '../../parts/marks.tsx';
import type { Column } from '../../parts/table/column.ts';
import { selectIn } from '../../parts/table/inUrl.ts';
import { Table } from '../../parts/table/Table.tsx';

export default function Coverage({ account, search }: { account: Account; search: string }) {
  const [params, set] = useUrl(search);
  const dossier = useNodeDossier(params, set);
  return (
    <Shell account={account} path="/guard/coverage" dossier={dossier}>
      <View params={params} set={set} narrow={Boolean(dossier)} />
    </Shell>
  );
}

const KINDS: Record<string, string> = {
  site: 'sites',
  team: 'teams',
  'shared-drive': 'shared drives',
  'personal-drive': 'personal drives',
  channel: 'channels',
  mailbox: 'mailboxes',
};

/** How much is covered: dark where a rule responds, lighter where it observes, and the rest bare. */
function Share({ of, what }: { of: Covered; what: string }) {
  const part = (n: number): string => `${of.all ? (100 * n) / of.all : 0}%`;
  const bare = of.all - of.enforce - of.observe;
  const words = `${what}: ${count(of.enforce)} enforced, ${count(of.observe)} observed, ${count(bare)} by no rule`;
  return (
    <div className="flex items-center gap-2" title={words}>
      <div role="img" aria-label={words} className="flex h-3 w-40 shrink-0 border border-slate">
        <span className="bg-base-content" style={{ width: part(of.enforce) }} />
        <span className="bg-base-content/40" style={{ width: part(of.observe) }} />
      </div>
      <span className="tabular-nums">
        {count(of.enforce + of.observe)} <span className="text-quiet">of {count(of.all)}</span>
      </span>
    </div>
  );
}

const BARE: Column<Answer['bare'][number]>[] = [
  {
    key: 'name',
    name: 'Space',
    width: 'minmax(200px, 2fr)',
    cell: (r) => <b className="truncate">{r.name}</b>,
  },
  { key: 'workspace', name: 'Workspace', width: 'minmax(140px, 1fr)', cell: (r) => r.workspace },
  {
    key: 'label',
    name: 'Label',
    width: '120px',
    cell: (r) => r.label || <span className="text-quiet">none</span>,
  },
  { key: 'files', name: 'Files', width: '90px', right: true, cell: (r) => count(r.files) },
  { key: 'weight', name: 'Weight', width: '90px', cell: (r) => <Weight weight={r.weight} /> },
];

function View({ params, set }: ViewProps) {
  const { data, error, refetch } = useQuery(ask('/api/policies/coverage'));
  if (error) return <Trouble error={error} retry={() => void refetch()} />;
  if (!data) return null;
  if (!data.rules)
    return (
      <Empty
        action={
          <a className="btn btn-sm btn-primary" href="/guard/policies">
            Go to Policies
          </a>
        }
      >
        No rule is on, so nothing is covered. Make a policy, and here you see which spaces, files and people
        its rules are about.
      </Empty>
    );
  return (
    <div className="flex h-full flex-col overflow-auto px-5 pt-2.5">
      <h1 className="text-base font-bold">Coverage</h1>
      <p className="pb-2 text-quiet">
        By {plural(data.rules, 'rule')} that {data.rules === 1 ? 'is' : 'are'} on. Dark: a rule responds;
        lighter: it observes; empty: no rule is about it. People: <Inline of={data.people} />.
        {data.apps && (
          <>
            {' '}
            Apps that were let in: <Inline of={data.apps} />.
          </>
        )}
      </p>
      <table className="w-full max-w-[900px]">
        <caption className="sr-only">Coverage by workspace and kind of space</caption>
        <thead>
          <tr className="border-b border-slate text-left text-xs text-quiet">
            <th className="py-1">Workspace</th>
            <th>Kind</th>
            <th>Spaces</th>
            <th>Files</th>
          </tr>
        </thead>
        <tbody>
          {data.groups.map((g) => (
            <tr key={g.workspace + g.kind} className="border-b border-base-300">
              <td className="py-1.5 pr-3 font-medium">{g.workspace}</td>
              <td className="pr-3">{KINDS[g.kind] ?? g.kind}</td>
              <td className="pr-3">
                <Share of={g.spaces} what="Spaces" />
              </td>
              <td>
                <Share of={g.files} what="Files" />
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      <h2 className="pb-1 pt-4 font-bold">
        {data.ofBare
          ? `${plural(data.ofBare, 'space')} that no rule is about${data.ofBare > data.bare.length ? `, the heaviest ${data.bare.length}` : ''}`
          : 'Every space is in the scope of a rule'}
      </h2>
      {data.bare.length > 0 && (
        <div className="min-h-[220px] flex-1">
          <Table
            label="Spaces that no rule is about"
            columns={BARE}
            rows={data.bare}
            {...selectIn(params, set, 'sel', (r: Answer['bare'][number]) => r.key)}
          />
        </div>
      )}
    </div>
  );
}

const Inline = ({ of }: { of: Covered }) => (
  <>
    <b className="text-base-content">{count(of.enforce)}</b> enforced,{' '}
    <b className="text-base-content">{count(of.observe)}</b> observed, of {count(of.all)}
  </>
);
