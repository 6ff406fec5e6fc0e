/** Everything about one third-party app: what it could read and by which routes, its risk as a sum, and who let it in for what. */
import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { Workflow } from 'lucide-react';
import { lazy, Suspense, useState } from 'react';
import type { AppDossier as Data, AppGrantDto } from '../../dto/apps.ts';
import { dayWords } from '../parts/dates.ts';
import { useSigned } from '../frame/signed.ts';
import { PickUpButton, usePickUp } from '../frame/Tray.tsx';
import { ask, openedAt, withQuery } from '../frame/api.ts';
import { RouteGraphDialog } from '../drawings/AllRoutes.tsx';
import { ByWeight } from '../parts/ByWeight.tsx';
import { Beam, count, plural, Trouble, Weight, When } from '../parts/marks.tsx';
import { Sum } from './Sum.tsx';
import { DossierFrame, Section, type Pinning } from './Frame.tsx';

const ApprovalDialog = lazy(() =>
  import('../views/guard/approvals/Forms.tsx').then((m) => ({ default: m.ApprovalDialog })),
);

export function AppDossier({ app, asOf, ...pinning }: { app: string; asOf: number | undefined } & Pinning) {
  const { data, error, refetch } = useQuery(ask('/api/apps/one', { key: app, asOf }));
  return (
    <DossierFrame name="App" error={error} retry={() => void refetch()} {...pinning}>
      {data && <Body data={data} asOf={asOf} />}
    </DossierFrame>
  );
}

function Body({ data, asOf }: { data: Data; asOf: number | undefined }) {
  const { row } = data;
  const readsAll = data.scopes.some((s) => s.everyone && s.capabilities.includes('open'));
  return (
    <>
      <header className="px-4 py-3">
        <h2 className="text-base font-bold leading-snug break-words">{row.name}</h2>
        <p className="text-quiet break-words">
          {row.publisher || 'A publisher who is not named'}, {row.verified ? 'verified' : <b>not verified</b>}{' '}
          · {row.workspace}
          {row.category && ` · ${row.category}`}
        </p>
        <p className="mt-2">
          Could read <b>{plural(row.files, 'file')}</b>
          {row.heavy > 0 && (
            <>
              , <b>{count(row.heavy)}</b> of them heavy
            </>
          )}
          {readsAll ? ', whoever can open them' : row.everyone ? ', for everyone who has an account' : ''}.
        </p>
        <div className="mt-1.5">
          <ByWeight files={row.byWeight} wide={220} />
        </div>
        <p className="mt-2">
          Let in{' '}
          {row.everyone ? (
            <b>for everyone by an administrator</b>
          ) : (
            <>by {plural(row.people, 'person', 'people')}</>
          )}
          {row.everyone && row.people > 0 && <> and by {plural(row.people, 'person', 'people')}</>};{' '}
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
      <Section name="Its risk" aside={`${count(row.points)} points, ${row.severity}`}>
        <Sum lines={data.sum} points={row.points} />
      </Section>
      {asOf === undefined && <Approval data={data} />}
      <Section name="What it may do">
        <ul>
          {data.scopes.map((s) => (
            <li key={s.scope} className="border-b border-base-300 py-1">
              It can {s.words}.{' '}
              <span className="text-quiet">
                <code className="font-mono text-xs break-all">{s.scope}</code>
                {s.capabilities.length > 0 && `, on files: ${s.capabilities.join(', ')}`}; let in{' '}
                {s.everyone ? 'for everyone' : `by ${plural(s.people, 'person', 'people')}`}
                {!s.known && (
                  <>
                    ;{' '}
                    <a className="underline" href={withQuery('/exposure/apps', { app: row.key, scopes: '' })}>
                      say what it means
                    </a>
                  </>
                )}
              </span>
            </li>
          ))}
        </ul>
      </Section>
      <Files data={data} asOf={asOf} />
      <Section name="Spaces" aside={plural(data.spaces.length + data.spacesMore, 'space')}>
        <ul>
          {data.spaces.map((s) => (
            <li key={s.node.key} className="flex items-center gap-2 border-b border-base-300 py-1">
              <a
                className="min-w-0 flex-1 truncate underline decoration-slate hover:decoration-current"
                href={withQuery('/survey/holdings', { sel: s.node.key, asof: asOf })}
              >
                {s.node.name}
              </a>
              {s.heavy > 0 && <b>{count(s.heavy)} heavy</b>}
              <span className="w-20 text-right text-quiet">{plural(s.files, 'file')}</span>
            </li>
          ))}
        </ul>
        {data.spacesMore > 0 && <p className="text-quiet">and {count(data.spacesMore)} more</p>}
      </Section>
      {data.types.length > 0 && (
        <Section name="What lies in the heavy files">
          <p>{data.types.map((t) => `${t.name} in ${plural(t.files, 'file')}`).join('; ')}.</p>
        </Section>
      )}
      <Section
        name="Who let it in"
        aside={`used by ${data.used.map((u) => `${u.people} in ${u.days} days`).join(', ')}`}
      >
        {asOf === undefined && <Withdraw data={data} />}
        <ul>
          {data.grants.map((g) => (
            <Grant key={g.id} grant={g} asOf={asOf} />
          ))}
        </ul>
        {data.grantsMore > 0 && <p className="text-quiet">and {count(data.grantsMore)} more</p>}
      </Section>
      <Section
        name="Facts"
        aside={
          <>
            as of survey {data.survey}, <When at={data.takenAt} />
          </>
        }
      >
        <dl className="grid grid-cols-[7rem_1fr] gap-y-0.5">
          <dt className="text-quiet">Made</dt>
          <dd>{row.made ? <When at={row.made} /> : 'not known'}</dd>
          <dt className="text-quiet">Home page</dt>
          <dd className="break-all">{data.homepage || 'none'}</dd>
          <dt className="text-quiet">Answers to</dt>
          <dd className="break-all">{data.redirectHosts.join(', ') || 'not known'}</dd>
          <dt className="text-quiet">Client id</dt>
          <dd className="font-mono break-all">{row.key.slice(row.key.indexOf(':') + 1)}</dd>
        </dl>
      </Section>
    </>
  );
}

/** How it stands: approved, refused or neither, and ways to say so. */
function Approval({ data: { row, approval: a, scopes } }: { data: Data }) {
  const { steward, account } = useSigned();
  const [form, setForm] = useState<'approve' | 'refuse'>();
  const more = a?.approved ? scopes.filter((s) => !a.scopes.includes(s.scope)) : [];
  return (
    <Section name="Approval">
      <p>
        {a ? (
          <>
            {a.approved ? 'Approved' : 'Refused'} for {a.groups.length ? a.groups.join(', ') : 'everybody'}
            {a.until && ` until ${dayWords(a.until)}`}.
          </>
        ) : (
          'Neither approved nor refused.'
        )}
      </p>
      {more.length > 0 && (
        <p className="font-medium">It was let in for more: {more.map((s) => s.scope).join(', ')}.</p>
      )}
      {steward && !account.held && (
        <p className="mt-1 flex gap-2">
          <button className="btn btn-sm" onClick={() => setForm('approve')}>
            Approve …
          </button>
          <button className="btn btn-sm" onClick={() => setForm('refuse')}>
            Refuse …
          </button>
        </p>
      )}
      {form && (
        <Suspense>
          <ApprovalDialog
            given={{
              app: row.key,
              approved: form === 'approve',
              groups: a?.groups ?? [],
              scopes: form === 'approve' ? scopes.map((s) => s.scope) : [],
              until: null,
              reason: '',
            }}
            name={row.name}
            close={() => setForm(undefined)}
          />
        </Suspense>
      )}
    </Section>
  );
}

/** Withdraws it from all who let it in, or from those who do not use it: by changes that are picked up. */
function Withdraw({ data: { row, all, unused } }: { data: Data }) {
  const { steward } = useSigned();
  const { pickUp } = usePickUp();
  if (!steward || !all.length) return null;
  const source = row.key.slice(0, row.key.indexOf(':'));
  const pick = (ids: readonly string[]): void =>
    pickUp.mutate(ids.map((id) => ({ kind: 'appGrant', source, id })));
  return (
    <div className="mb-1">
      <button className="btn btn-sm" disabled={pickUp.isPending} onClick={() => pick(all)}>
        Pick up: withdraw it from {all.length === 1 ? 'them' : `all ${count(all.length)}`}
      </button>{' '}
      {unused.length > 0 && unused.length < all.length && (
        <button className="btn btn-sm" disabled={pickUp.isPending} onClick={() => pick(unused)}>
          From {count(unused.length)} who have not used it for 90 days
        </button>
      )}
      <p className="mt-1 text-xs text-quiet">
        Undoing cannot put it back: whoever let it in has to do so again.
      </p>
      {pickUp.error && <Trouble error={pickUp.error} />}
    </div>
  );
}

function Grant({ grant: g, asOf }: { grant: AppGrantDto; asOf: number | undefined }) {
  return (
    <li className="border-b border-base-300 py-1">
      {asOf === undefined && (
        <PickUpButton
          change={{ kind: 'appGrant', source: g.source, id: g.id }}
          what={`withdraw it from ${g.person?.name ?? 'everyone'}`}
          look="btn-ghost float-right"
        />
      )}
      {g.person ? (
        <a
          className="font-medium underline decoration-slate hover:decoration-current"
          href={withQuery('/survey/people', { sel: g.person.key, asof: asOf })}
        >
          {g.person.name}
        </a>
      ) : (
        <b>{g.everyone ? 'For everyone' : 'Somebody who is not known'}</b>
      )}
      {g.person && !g.person.active && (
        <span className="font-medium"> not active: it reads nothing for them</span>
      )}{' '}
      <span className="text-quiet">
        {g.grantedAt && (
          <>
            let it in <When at={g.grantedAt} />
            {g.grantedBy && ` (${g.grantedBy})`}
            {g.from && ` from ${g.from}`};{' '}
          </>
        )}
        {g.lastUsed ? (
          <>
            used <When at={g.lastUsed} />
          </>
        ) : (
          'never seen used'
        )}
        {g.offline && '; it goes on while they are away'}
      </span>
      <div className="text-xs text-quiet break-words">{g.scopes.join(', ')}</div>
    </li>
  );
}

/** The files that it could read, the heaviest first, each with the routes by which it does. */
function Files({ data: { row, unopened }, asOf }: { data: Data; asOf: number | undefined }) {
  const [only, setOnly] = useState(false);
  const [shown, setShown] = useState(12);
  const [drawn, setDrawn] = useState<string>();
  const { data } = useQuery({
    ...ask('/api/apps/files', { key: row.key, asOf, unopened: String(only), limit: shown }),
    placeholderData: keepPreviousData,
  });
  if (!row.files) return null;
  return (
    <Section name="Files" aside={data && `${count(data.total)}, the heaviest first`}>
      {unopened > 0 && (
        <label className="mb-1 flex items-center gap-2">
          <input
            type="checkbox"
            className="checkbox checkbox-sm"
            checked={only}
            onChange={(e) => setOnly(e.target.checked)}
          />
          only the {count(unopened)} heavy ones that nobody who let it in was seen to open
        </label>
      )}
      <ul>
        {data?.rows.map((r) => (
          <li key={r.key} className="flex items-center gap-2 border-b border-base-300 py-1">
            <Weight weight={r.weight} />
            <Beam now={r.now} could={r.could} words={false} />
            <a
              className="min-w-0 flex-1 truncate underline decoration-slate hover:decoration-current"
              title={r.path}
              href={openedAt(r.key)}
            >
              {r.name}
            </a>
            <button
              className="btn btn-xs btn-square btn-ghost"
              aria-label={`Draw how ${row.name} reads ${r.name}`}
              title="Draw how it reads this file"
              onClick={() => setDrawn(r.key)}
            >
              <Workflow size={13} aria-hidden />
            </button>
          </li>
        ))}
      </ul>
      {data && data.total > data.rows.length && (
        <button className="btn btn-xs btn-ghost" onClick={() => setShown(Math.min(500, shown + 100))}>
          Show more
        </button>
      )}
      {drawn !== undefined && (
        <RouteGraphDialog
          nodeKey={drawn}
          app={{ key: row.key, name: row.name }}
          close={() => setDrawn(undefined)}
        />
      )}
    </Section>
  );
}
