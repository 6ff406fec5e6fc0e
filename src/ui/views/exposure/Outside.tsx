/** Exposure › Outside: external domains, who shared what with them, and what it comes to. */
import { useMutation, useQuery } from '@tanstack/react-query';
import { lazy, Suspense, useState } from 'react';
import type { Account } from '../../../dto/accounts.ts';
import type { OutsideDossier, OutsideRow } from '../../../dto/exposure.ts';
import { withQuery, ask, send } from '../../frame/api.ts';
import { DossierFrame, Section, type Pinning } from '../../dossiers/Frame.tsx';
import { TabBar, Tabs } from '../../parts/Tabs.tsx';
import { usePinned } from '../../parts/pinned.ts';
import { count, Empty, plural, State, Trouble, Weight, When } from '../../parts/marks.tsx';
import { partnerForm } from '../../../dto/forms.ts';
import { dayWords } from '../../parts/dates.ts';
import { Field, FormTrouble, useSchemaForm } from '../../parts/form.tsx';
import { useSay } from '../../parts/Toasts.tsx';
import { Shell } from '../../frame/Shell.tsx';
import { useRefresh, useSigned } from '../../frame/signed.ts';
import type { Column } from '../../parts/table/column.ts';
import { orderIn, selectIn } from '../../parts/table/inUrl.ts';
import { Table } from '../../parts/table/Table.tsx';
import { TableView } from '../../parts/table/TableView.tsx';
import { usePickUp } from '../../frame/Tray.tsx';
import { asOfOf, useUrl, type ViewProps } from '../../frame/url.ts';

/** Drawn when it is asked for: what draws it is not loaded before. */
const Flow = lazy(() => import('../../drawings/Flow.tsx').then((m) => ({ default: m.Flow })));

export default function Outside({ account, search }: { account: Account; search: string }) {
  const [params, set] = useUrl(search);
  const { shown, pinning } = usePinned(params.get('domain') ?? undefined, () => set({ domain: undefined }));
  return (
    <Shell
      account={account}
      path="/exposure/outside"
      dossier={
        shown !== undefined && <OneDomain key={shown} domain={shown} asOf={asOfOf(params)} {...pinning} />
      }
    >
      <View params={params} set={set} narrow={shown !== undefined} />
    </Shell>
  );
}

const SHOW = {
  all: 'all',
  unknown: 'not expected',
  partner: 'partners',
  consumer: 'free mailboxes',
  'look-alike': 'look-alikes',
} as const;

function View({ params, set, narrow }: ViewProps) {
  const show = params.get('show') ?? 'all';
  const { sort, order } = orderIn(params, set, 'points');
  const text = params.get('text') ?? undefined;
  const where = params.get('where') ?? undefined;
  const drawn = params.get('draw') === 'flow';
  const asOf = asOfOf(params);
  const asked = { show, sort, text, where, asOf };
  const { data, error, refetch } = useQuery({
    ...ask('/api/outside', asked),
    placeholderData: (before) => before,
  });
  if (data && data.counts.all === 0)
    return (
      <Empty>
        Nobody outside can reach anything. When somebody can, their domain appears here, with who gave them
        access.
      </Empty>
    );
  return (
    <Tabs value={show} choose={(key) => set({ show: key === 'all' ? undefined : key })}>
      <TableView
        table="outside"
        asked={asked}
        query={{ error, refetch }}
        {...{ params, set, narrow }}
        tabs
        find={{
          label: 'Find a domain',
          placeholder: 'domain, department …',
          width: narrow ? 'w-32' : 'w-56',
        }}
        title={
          <TabBar
            label="Which domains"
            tabs={(Object.entries(SHOW) as [keyof typeof SHOW, string][]).map(([key, name]) => [
              key,
              <>
                {name} {data && <b>{data.counts[key]}</b>}
              </>,
            ])}
          />
        }
        before={
          <button
            className="btn btn-sm"
            aria-pressed={drawn}
            onClick={() => set({ draw: drawn ? undefined : 'flow' }, 'push')}
          >
            {drawn ? 'Show the table' : 'Draw the flow'}
          </button>
        }
        empty={data?.rows.length === 0}
        nothing="There is no external domain of this kind."
      >
        {drawn ? (
          <Suspense fallback={<p className="p-4 text-quiet">Drawing …</p>}>
            <Flow
              flows={data?.flows ?? []}
              expected={(d) => data?.rows.find((r) => r.domain === d)?.standing === 'partner'}
              selected={params.get('domain') ?? undefined}
              onDomain={(domain) => set({ domain }, 'push')}
              onDepartment={(department) => set({ text: department, draw: undefined }, 'push')}
            />
          </Suspense>
        ) : (
          <Domains rows={data?.rows ?? []} order={order} narrow={narrow} params={params} set={set} />
        )}
      </TableView>
    </Tabs>
  );
}

function Domains({
  rows,
  order,
  narrow,
  params,
  set,
}: { rows: OutsideRow[]; order: ReturnType<typeof orderIn>['order'] } & ViewProps) {
  const number = (n: number) => (n ? count(n) : <span className="text-quiet">·</span>);
  const columns: Column<OutsideRow>[] = [
    {
      key: 'points',
      name: 'Points',
      width: '76px',
      right: true,
      sorts: true,
      cell: (r) => (r.points ? <b>{count(r.points)}</b> : <span className="text-quiet">·</span>),
    },
    {
      key: 'domain',
      name: 'Domain',
      width: narrow ? 'minmax(150px, 1fr)' : 'minmax(170px, 1.3fr)',
      sorts: true,
      cell: (r) => (
        <span className="truncate font-medium" title={r.domain}>
          {r.domain}
        </span>
      ),
    },
    {
      key: 'standing',
      name: 'What it is',
      width: narrow ? 'minmax(150px, 1fr)' : 'minmax(200px, 1.4fr)',
      cell: (r) => <Standing row={r} />,
    },
    {
      key: 'people',
      name: 'People',
      width: '76px',
      right: true,
      sorts: true,
      cell: (r) =>
        r.whole ? <span title="Everybody with an address there">everybody</span> : number(r.people),
    },
    { key: 'files', name: 'Files', width: '70px', right: true, sorts: true, cell: (r) => number(r.files) },
    {
      key: 'heavy',
      name: 'Heavy',
      width: '98px',
      right: true,
      sorts: true,
      cell: (r) => (
        <span className="flex items-center gap-2">
          {number(r.heavy)} <Weight weight={r.heaviest} />
        </span>
      ),
    },
    ...(narrow
      ? []
      : [
          {
            key: 'shares',
            name: 'Shared',
            width: '104px',
            right: true,
            sorts: true,
            cell: (r: OutsideRow) => (
              <span
                title={`${r.levels.space} on spaces, ${r.levels.folder} on folders, ${r.levels.file} on files`}
              >
                {plural(r.shares, 'time')}
              </span>
            ),
          },
          {
            key: 'sharers',
            name: 'By',
            width: 'minmax(120px, 0.9fr)',
            cell: (r: OutsideRow) => (
              <span className="truncate">
                {r.sharers.map((s) => s.name).join(', ') || <span className="text-quiet">·</span>}
              </span>
            ),
          },
          {
            key: 'lastUsed',
            name: 'Last used',
            width: '128px',
            sorts: true,
            cell: (r: OutsideRow) =>
              r.lastUsed ? <When at={r.lastUsed} /> : <span className="text-quiet">never seen</span>,
          },
        ]),
  ];
  return (
    <Table
      label="External domains"
      columns={columns}
      rows={rows}
      {...selectIn(params, set, 'domain', (r: OutsideRow) => r.domain)}
      {...order}
    />
  );
}

function Standing({ row: r }: { row: OutsideRow }) {
  if (r.likens)
    return (
      <span className="truncate" title={`${r.likens.how}: ${r.likens.domain}`}>
        <State icon="trouble">looks like {r.likens.domain}</State>
      </span>
    );
  if (r.standing === 'partner') return <span>partner</span>;
  return <span className="truncate">{r.consumer ? 'free mailbox provider' : 'not expected'}</span>;
}

function OneDomain({ domain, asOf, ...pinning }: { domain: string; asOf: number | undefined } & Pinning) {
  const { data, error, refetch } = useQuery(ask('/api/outside/one', { domain, asOf }));
  return (
    <DossierFrame name="External domain" error={error} retry={() => void refetch()} {...pinning}>
      {data && <Body data={data} now={asOf === undefined} />}
    </DossierFrame>
  );
}

function Body({
  data: { row, names, shares, sharesMore, people, partner },
  now,
}: {
  data: OutsideDossier;
  now: boolean;
}) {
  const { steward } = useSigned();
  const { pickUp, has } = usePickUp();
  return (
    <>
      <header className="px-4 py-3">
        <h2 className="text-base font-bold leading-snug break-words">{row.domain}</h2>
        <p className="text-quiet">
          {names.length > 1 && <>with {names.filter((n) => n !== row.domain).join(', ')}. </>}
          {row.standing === 'partner'
            ? 'A partner’s.'
            : row.consumer
              ? 'Anybody can get a mailbox there.'
              : 'Not expected: it is no partner’s.'}
        </p>
        {row.likens && (
          <p className="mt-1">
            <State icon="trouble">
              Could be mistaken for {row.likens.domain}: {row.likens.how}.
            </State>
          </p>
        )}
        <p className="mt-2">
          {row.whole ? 'Everybody with an address there' : plural(row.people, 'person', 'people')} can reach{' '}
          <a
            className="underline decoration-slate hover:decoration-current"
            href={withQuery('/survey/people', { show: 'domains', sel: `domain:${names[0] ?? row.domain}` })}
          >
            {plural(row.files, 'file')}
          </a>
          {row.heavy > 0 && (
            <>
              , <b>{row.heavy} of them heavy</b>
            </>
          )}
          ; {row.points ? <b>{count(row.points)} exposure points</b> : 'no exposure points'}.
        </p>
        <p className="text-quiet">
          First shared <When at={row.since} />;{' '}
          {row.lastUsed ? (
            <>
              last used <When at={row.lastUsed} />
            </>
          ) : (
            'no use was seen'
          )}
          .
        </p>
      </header>
      {now && <PartnerSection domain={row.domain} standing={row.standing} partner={partner} />}
      <Section
        name="Who shared what with them"
        aside={plural(shares.length + sharesMore, 'grant or link', 'grants and links')}
      >
        <ul>
          {shares.map((s) => (
            <li
              key={`${s.entry.kind} ${s.entry.source} ${s.entry.id}`}
              className="flex items-start gap-2 border-b border-base-300 py-1.5"
            >
              <Weight weight={s.weight} />
              <div className="min-w-0 flex-1">
                <a
                  className="font-medium underline decoration-slate hover:decoration-current"
                  href={withQuery('/survey/holdings', { sel: s.key })}
                >
                  {s.entry.on.name}
                </a>{' '}
                <span className="text-quiet">
                  {s.entry.on.kind}
                  {s.entry.on.kind !== 'file' && `, ${plural(s.files, 'file')}`}
                  {s.label && `, ${s.label}`}
                </span>
                <div className="text-quiet">
                  {s.entry.kind === 'link' ? 'sharing link' : 'grant'} to {s.entry.to}, {s.entry.role}
                  {s.entry.madeBy && `, by ${s.entry.madeBy}`}{' '}
                  {s.entry.madeAt && <When at={s.entry.madeAt} />};{' '}
                  {s.lastUsed ? (
                    <>
                      used <When at={s.lastUsed} />
                    </>
                  ) : (
                    'never seen used'
                  )}
                </div>
              </div>
              {steward && now && (
                <button
                  className="btn btn-sm"
                  disabled={has(s.entry)}
                  onClick={() => pickUp.mutate([s.entry])}
                >
                  {has(s.entry) ? 'In the tray' : 'Pick up'}
                </button>
              )}
            </li>
          ))}
        </ul>
        {sharesMore > 0 && <p className="text-quiet">and {count(sharesMore)} more.</p>}
      </Section>
      <Section name="People" aside={plural(row.people, 'person', 'people')}>
        <ul>
          {people.slice(0, 40).map((p) => (
            <li key={p.id}>
              <a
                className="underline decoration-slate hover:decoration-current"
                href={withQuery('/survey/people', {
                  sel: `${p.kind === 'outsider' ? 'outsider' : 'user'}:${p.id}`,
                })}
              >
                {p.address}
              </a>{' '}
              <span className="text-quiet">{p.kind}</span>
            </li>
          ))}
        </ul>
      </Section>
    </>
  );
}

/** Naming a domain a partner: what it would change is said before it is done. */
function PartnerSection({
  domain,
  standing,
  partner,
}: {
  domain: string;
  standing: OutsideRow['standing'];
  partner: OutsideDossier['partner'];
}) {
  const { steward } = useSigned();
  const [open, setOpen] = useState(false);
  const becomes = standing !== 'partner';
  if (!steward && !partner) return null;
  return (
    <Section name="Expected?" aside={partner && `named by ${partner.by}`}>
      {partner && (
        <p>
          A partner {partner.until ? `until ${dayWords(partner.until)}` : 'until further notice'};{' '}
          {partner.sponsor} answers for it.
        </p>
      )}
      {!partner && standing === 'partner' && (
        <p className="text-quiet">Its workspace lists it as a partner.</p>
      )}
      {steward && !open && (becomes || partner) && (
        <button className="btn btn-sm mt-1" onClick={() => setOpen(true)}>
          {becomes ? 'Name it a partner …' : 'It is no longer a partner …'}
        </button>
      )}
      {steward && open && <PartnerForm domain={domain} becomes={becomes} close={() => setOpen(false)} />}
    </Section>
  );
}

function PartnerForm({ domain, becomes, close }: { domain: string; becomes: boolean; close: () => void }) {
  const refresh = useRefresh();
  const preview = useQuery(ask('/api/outside/partner', { domain, partner: String(becomes) }));
  const say = useSay();
  const done = () => {
    say(becomes ? `${domain} is a partner now.` : `${domain} is no longer a partner.`);
    close();
    refresh();
  };
  const form = useSchemaForm(partnerForm, { domain, until: null, sponsor: '' }, async (values) => {
    await send('PUT', '/api/outside/partner', values);
    done();
  });
  const drop = useMutation({
    mutationFn: () => send('DELETE', '/api/outside/partner', { domain }),
    onSuccess: done,
  });
  const p = preview.data;
  return (
    <form
      className="mt-1 space-y-2 rounded border border-slate p-3"
      noValidate
      onSubmit={(e) => {
        if (becomes) return form.submit(e);
        e.preventDefault();
        drop.mutate();
      }}
    >
      {preview.error && <Trouble error={preview.error} />}
      <p aria-live="polite">
        {p ? (
          <>
            The reach of <b>{plural(p.files, 'file')}</b> would change; {plural(p.findings.before, 'finding')}{' '}
            would become <b>{p.findings.after}</b>, and {plural(p.points.before, 'point')}{' '}
            <b>{count(p.points.after)}</b>. Nobody gains or loses access.
          </>
        ) : (
          'Working out what that would change …'
        )}
      </p>
      {becomes && (
        <div className="flex gap-2">
          <Field form={form} name="sponsor" label="Who answers for it" look="flex-1">
            {(input) => <input {...input} className="input input-sm w-full" {...form.register('sponsor')} />}
          </Field>
          <Field form={form} name="until" label="Until" hint="empty: until further notice">
            {(input) => (
              <input
                {...input}
                className="input input-sm"
                type="date"
                {...form.register('until', { setValueAs: (v: string | null) => v || null })}
              />
            )}
          </Field>
        </div>
      )}
      <FormTrouble form={form} />
      {drop.error && <Trouble error={drop.error} />}
      <button
        className="btn btn-sm btn-primary"
        disabled={!p || form.formState.isSubmitting || drop.isPending}
      >
        {becomes ? `Name ${domain} a partner` : `${domain} is no longer a partner`}
      </button>
      <button type="button" className="btn btn-sm btn-ghost ml-2" onClick={close}>
        Cancel
      </button>
    </form>
  );
}
