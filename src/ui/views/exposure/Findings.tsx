import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { SEVERITIES } from '../../../core/exposure/exposure.ts';
import { joinConditions, splitConditions } from '../../../core/filter/fields.ts';
import type { Account } from '../../../dto/accounts.ts';
import {
  FINDING_KINDS,
  type FindingGroup,
  type FindingGroupBy,
  type FindingRow,
} from '../../../dto/exposure.ts';
import { ask } from '../../frame/api.ts';
import { Compose } from '../../parts/Compose.tsx';
import { Dossier } from '../../dossiers/Dossier.tsx';
import { count, Beam, Empty, plural, Share, ToSources, Trouble, Weight } from '../../parts/marks.tsx';
import { KeptViews } from '../../parts/filter.tsx';
import { usePinned } from '../../parts/pinned.ts';
import { usePages } from '../../parts/pages.ts';
import { Shell } from '../../frame/Shell.tsx';
import { useSigned } from '../../frame/signed.ts';
import type { Column } from '../../parts/table/column.ts';
import { orderIn, selectNumberIn } from '../../parts/table/inUrl.ts';
import { Table } from '../../parts/table/Table.tsx';
import { Choose } from '../../parts/Choose.tsx';
import { TableView } from '../../parts/table/TableView.tsx';
import { Decide, TriageBar, useTriage, type Deciding } from '../../parts/Triage.tsx';
import { useUrl, type ViewProps } from '../../frame/url.ts';

const PAGE = 200;

export default function Findings({ account, search }: { account: Account; search: string }) {
  const [params, set] = useUrl(search);
  const finding = params.get('finding') ? Number(params.get('finding')) : undefined;
  const { shown, pinning } = usePinned(finding, () => set({ finding: undefined }));
  return (
    <Shell
      account={account}
      path="/exposure/findings"
      dossier={shown !== undefined && <Dossier finding={shown} {...pinning} />}
    >
      <View params={params} set={set} narrow={shown !== undefined} />
    </Shell>
  );
}

const STATES = ['open', 'accepted', 'fixed', 'all'] as const;
type States = (typeof STATES)[number];
const GROUP_WORDS: Record<FindingGroupBy, string> = {
  item: 'file',
  space: 'space',
  owner: 'owner',
  type: 'data type',
  domain: 'outside domain',
  cause: 'cause',
  rule: 'rule',
};
const KINDS = { exposure: 'exposures', breach: 'breaches' } as const;

/** Whether it is about something that is reached: a person or a group is not. */
const isReached = (r: FindingRow): boolean => r.kind === 'exposure' || r.summary.space !== '';
const GROUPS = Object.keys(GROUP_WORDS) as FindingGroupBy[];

/** Whence it is reached, the widest first. */
const from = (r: FindingRow): string =>
  !isReached(r)
    ? ''
    : r.now === 'public'
      ? 'anyone at all'
      : [
          ...(r.could === 'public' ? ['any holder of the link'] : []),
          ...r.summary.domains,
          ...(r.summary.domainsMore ? [`${r.summary.domainsMore} more`] : []),
        ].join(', ') || 'inside';

function View({ params, set, narrow }: ViewProps) {
  const { steward } = useSigned();
  const state = STATES.find((x) => x === params.get('state')) ?? 'open';
  const kind = FINDING_KINDS.find((k) => k === params.get('kind'));
  const severity = params.get('severity') ?? undefined;
  const text = params.get('text') ?? undefined;
  const where = params.get('where') ?? undefined;
  const space = params.get('space') ?? undefined;
  const source = params.get('ws') ?? undefined;
  const { sort, order } = orderIn(params, set, 'points');
  const by = GROUPS.find((g) => g === params.get('group'));
  const [marked, setMarked] = useState<ReadonlySet<number>>(new Set());
  const [deciding, setDeciding] = useState<{ what: Deciding; findings: number[] }>();
  const [composing, setComposing] = useState<FindingRow[]>();
  const { pickUp } = useTriage();
  const held = { state, kind, severity, text, where, space, source };

  const { query, first, rows, more } = usePages('/api/findings', { ...held, sort, brief: 'true' }, PAGE);

  /** Keys on the selected row: `p` picks up what lets outsiders in, `a` accepts, `g` gives, `n` notes, `c` finds the least change. */
  const onKey = (key: string, row: FindingRow) => {
    if (!steward) return;
    if (key === 'p') pickUp.mutate([row.id]);
    if (key === 'c' && row.item) setComposing([row]);
    const what = ({ a: 'accept', g: 'give', n: 'note' } as const)[key as 'a' | 'g' | 'n'];
    if (what) setDeciding({ what, findings: marked.size ? [...marked] : [row.id] });
  };
  const mark = (keys: (string | number)[], on: boolean) => {
    const next = new Set(marked);
    for (const k of keys as number[])
      if (on) next.add(k);
      else next.delete(k);
    setMarked(next);
  };
  const most = Math.max(1, ...rows.map((r) => r.points));
  const columns: Column<FindingRow>[] = [
    {
      key: 'points',
      name: 'Points',
      width: '96px',
      sorts: true,
      cell: (r) =>
        r.kind === 'exposure' ? (
          <Share of={r.points} most={most} wide={36} />
        ) : (
          <span className="text-quiet" title="Points are of exposures; this is what its rule says.">
            {r.severity}
          </span>
        ),
    },
    {
      key: 'name',
      name: 'What',
      width: narrow ? 'minmax(180px, 1.6fr)' : 'minmax(240px, 1.6fr)',
      sorts: true,
      cell: (r) => (
        <span className="truncate" title={`${r.summary.name}\n${r.summary.path}`}>
          <span className="font-medium">{r.summary.name}</span>{' '}
          <span className="text-quiet">{r.summary.path}</span>
        </span>
      ),
    },
    ...(narrow
      ? []
      : [
          {
            key: 'contains',
            name: 'Contains',
            width: 'minmax(150px, 0.9fr)',
            cell: (r: FindingRow) => (
              <span className="truncate">
                {r.summary.types
                  .map((t) => `${t.name}${t.distinct > 1 ? ` × ${t.distinct}` : ''}`)
                  .join(', ') || (r.kind === 'exposure' ? 'by its label' : '')}
              </span>
            ),
          },
          {
            key: 'through',
            name: 'Reached from, or rule',
            width: 'minmax(140px, 0.9fr)',
            cell: (r: FindingRow) => (
              <span className="truncate" title={r.summary.breach?.policyName}>
                {r.summary.breach?.ruleName ?? from(r)}
              </span>
            ),
          },
        ]),
    {
      key: 'weight',
      name: 'Weight',
      width: '92px',
      sorts: true,
      cell: (r) => isReached(r) && <Weight weight={r.weight} />,
    },
    {
      key: 'reach',
      name: 'Reach',
      width: '286px',
      sorts: true,
      cell: (r) => isReached(r) && <Beam now={r.now} could={r.could} />,
    },
    ...(state === 'open'
      ? []
      : [
          {
            key: 'state',
            name: 'State',
            width: '84px',
            cell: (r: FindingRow) => (
              <span
                className={`truncate ${r.state === 'fixed' ? 'text-quiet' : ''}`}
                title={r.accepted && `until ${r.accepted.until}: ${r.accepted.reason}`}
              >
                {r.state}
              </span>
            ),
          },
        ]),
  ];

  if (first && first.open + first.accepted + first.fixed === 0)
    return (
      <Empty action={<ToSources />}>
        Here you will see every file that more people can reach than its content allows, the costliest first,
        and what breaks the rules of your policies. For that, survey your workspaces.
      </Empty>
    );
  return (
    <TableView
      table="findings"
      asked={{ ...held, sort }}
      query={query}
      {...{ params, set, narrow }}
      find={{
        label: 'Find in findings',
        placeholder: narrow ? 'find …' : 'find, or a condition',
        width: narrow ? 'w-32' : 'w-44',
      }}
      filters={['kind', 'severity', 'state', 'space', 'ws']}
      title={
        <h1 className="whitespace-nowrap text-base">
          {first ? (
            <>
              <b>{plural(first.total, state === 'all' ? 'finding' : `${state} finding`)}</b>
              {state !== 'fixed' && kind !== 'breach' && (
                <span className="text-quiet">, {count(first.points)} exposure points</span>
              )}
            </>
          ) : (
            <span className="text-quiet">Findings …</span>
          )}
        </h1>
      }
      before={!narrow && <KeptViews path="/exposure/findings" set={set} />}
      after={
        <>
          {!narrow && (
            <Choose
              label="Group by"
              width="w-32"
              value={by}
              of={[['', 'not in groups'], ...GROUPS.map((g) => [g, `by ${GROUP_WORDS[g]}`] as const)]}
              choose={(group) => set({ group, finding: undefined }, 'push')}
            />
          )}
          {!narrow && (
            <Choose
              label="Kind"
              width="w-28"
              value={kind}
              of={[['', 'any kind'], ...FINDING_KINDS.map((k) => [k, KINDS[k]] as const)]}
              choose={(chosen) => set({ kind: chosen, finding: undefined })}
            />
          )}
          <Choose
            label="Severity"
            width="w-32"
            value={severity}
            of={[['', 'any severity'], ...[...SEVERITIES].reverse().map((s) => [s, s] as const)]}
            choose={(chosen) => set({ severity: chosen })}
          />
          <Choose
            label="State"
            width="w-26"
            value={state}
            of={STATES.map((x) => [x, x] as const)}
            choose={(chosen) => set({ state: chosen })}
          />
        </>
      }
      above={
        <>
          {steward && marked.size > 0 && (
            <TriageBar
              marked={[...marked]}
              clear={() => setMarked(new Set())}
              begin={(what) => setDeciding({ what, findings: [...marked] })}
              compose={() => setComposing(rows.filter((r) => marked.has(r.id) && r.item))}
            />
          )}
          {composing && <Compose rows={composing} close={() => setComposing(undefined)} />}
          {deciding && <Decide {...deciding} close={() => setDeciding(undefined)} />}
        </>
      }
      empty={first !== undefined && rows.length === 0}
      nothing={
        kind === 'breach'
          ? 'Nothing breaks a rule that opens findings. Rules do so while they enforce.'
          : 'Nothing is open: every file’s reach is within what its weight allows.'
      }
    >
      {by ? (
        <Groups by={by} held={held} set={set} />
      ) : (
        <Table
          label="Findings"
          columns={columns}
          rows={rows}
          {...selectNumberIn(params, set, 'finding', (r: FindingRow) => r.id)}
          {...order}
          onKey={onKey}
          onEnd={more}
          {...(steward && { marked, onMark: mark })}
        />
      )}
    </TableView>
  );
}

/** What a group's findings have in common, as a condition. */
const CONDITION: Record<Exclude<FindingGroupBy, 'item'>, (value: string) => string> = {
  space: (v) => `space == ${JSON.stringify(v)}`,
  owner: (v) => `owner == ${JSON.stringify(v)}`,
  type: (v) => (v ? `${JSON.stringify(v)} in types` : 'size(types) == 0'),
  domain: (v) => (v ? `${JSON.stringify(v)} in domains` : 'size(domains) == 0'),
  cause: (v) => (v ? `${JSON.stringify(v)} in through` : 'size(through) == 0'),
  rule: (v) => `rule == ${JSON.stringify(v)}`,
};
const NONE: Record<FindingGroupBy, string> = {
  item: '',
  space: 'no space',
  owner: 'nobody owns it',
  type: 'by its label alone',
  domain: 'nobody outside, or anybody at all',
  cause: 'no single cause',
  rule: 'no rule: files reached too far',
};

function Groups({
  by,
  held,
  set,
}: {
  by: FindingGroupBy;
  held: { state: States; where: string | undefined } & Record<string, string | undefined>;
  set: ViewProps['set'];
}) {
  const { data, error, refetch } = useQuery({
    ...ask('/api/findings/groups', { ...held, by }),
    placeholderData: (before) => before,
  });
  if (error) return <Trouble error={error} retry={() => void refetch()} />;
  const most = Math.max(1, ...(data?.groups.map((g) => g.points) ?? []));
  const open = (g: FindingGroup) => {
    if (by === 'item') set({ group: undefined, finding: String(g.finding) }, 'push');
    else
      set(
        {
          group: undefined,
          where: joinConditions([...splitConditions(held.where ?? ''), CONDITION[by](g.value)]),
        },
        'push',
      );
  };
  const columns: Column<FindingGroup>[] = [
    {
      key: 'points',
      name: 'Points',
      width: '132px',
      cell: (g) => <Share of={g.points} most={most} wide={48} />,
    },
    {
      key: 'findings',
      name: 'Findings',
      width: '84px',
      right: true,
      cell: (g) => count(g.findings),
    },
    {
      key: 'value',
      name: GROUP_WORDS[by].replace(/^./, (c) => c.toUpperCase()),
      width: 'minmax(260px, 2fr)',
      cell: (g) => (
        <span className={`truncate ${g.value ? 'font-medium' : 'text-quiet'}`} title={g.value}>
          {g.value || NONE[by]}
        </span>
      ),
    },
    { key: 'weight', name: 'Heaviest', width: '84px', cell: (g) => <Weight weight={g.weight} /> },
    { key: 'reach', name: 'Widest', width: '286px', cell: (g) => <Beam now={g.now} could={g.could} /> },
  ];
  return (
    <>
      {(by === 'type' || by === 'domain' || by === 'cause') && (
        <p className="px-4 pb-1.5 text-quiet">
          A finding with several is in each of their groups; above, each counts once.
        </p>
      )}
      <div className="min-h-0 flex-1 border-t border-slate">
        <Table
          label="Groups of findings"
          columns={columns}
          rows={data?.groups ?? []}
          rowKey={(g) => g.finding ?? g.value}
          onSelect={(g) => g && open(g)}
        />
      </div>
    </>
  );
}
