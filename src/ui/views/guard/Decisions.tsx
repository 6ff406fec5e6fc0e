/** Guard › Decisions: what was refused, cautioned or let with obligations as it was about to be done, and by which rule. */
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import type { Account } from '../../../dto/accounts.ts';
import { OUTCOMES, type DecisionRow, type Outcome } from '../../../dto/decisions.ts';
import { useNodeDossier } from '../../dossiers/NodeDossier.tsx';
import { ask, openedAt, send, withQuery } from '../../frame/api.ts';
import { Shell } from '../../frame/Shell.tsx';
import { useUrl, type ViewProps } from '../../frame/url.ts';
import { Choose, Find } from '../../parts/Choose.tsx';
import { Dialog } from '../../parts/Dialog.tsx';
import { ExportMenu } from '../../parts/ExportMenu.tsx';
import { FarSideLink } from '../../parts/FarSide.tsx';
import { count, Empty, plural, Trouble, When } from '../../parts/marks.tsx';
import { usePages } from '../../parts/pages.ts';
import { SourceSecrets } from '../../parts/SourceSecrets.tsx';
import type { Column } from '../../parts/table/column.ts';
import { Table } from '../../parts/table/Table.tsx';

export default function Decisions({ account, search }: { account: Account; search: string }) {
  const [params, set] = useUrl(search);
  const dossier = useNodeDossier(params, set);
  return (
    <Shell account={account} path="/guard/decisions" dossier={dossier}>
      <View params={params} set={set} narrow={Boolean(dossier)} />
    </Shell>
  );
}

/** An app was about to be let in. */
const consents = (d: DecisionRow): boolean => d.action === 'consent';

const OUTCOME_WORDS: Record<Outcome, string> = {
  refused: 'Refused',
  cautioned: 'Cautioned',
  'went-on': 'Went on after a caution',
  'without-copies': 'Without copies',
  'ask-first': 'Has to ask first',
  'no-access': 'Had no access',
  would: 'Would have been hit',
};

function View({ params, set, narrow }: ViewProps) {
  const given = params.get('outcome') as Outcome | null;
  const asked = {
    outcome: given && OUTCOMES.includes(given) ? given : undefined,
    policy: params.get('policy') ? Number(params.get('policy')) : undefined,
    text: params.get('text') ?? undefined,
  } as const;
  const { query, first, rows, more } = usePages('/api/decisions', asked, 200);
  const [asking, setAsking] = useState(false);
  const { data: policies } = useQuery(ask('/api/policies'));
  const columns: Column<DecisionRow>[] = [
    { key: 'at', name: 'When', width: '120px', cell: (d) => <When at={d.at} /> },
    {
      key: 'outcome',
      name: 'Outcome',
      width: '150px',
      cell: (d) => (
        <span className={d.outcome === 'refused' ? 'truncate font-bold' : 'truncate'}>
          {OUTCOME_WORDS[d.outcome]}
        </span>
      ),
    },
    {
      key: 'who',
      name: 'Who',
      width: 'minmax(130px, 1fr)',
      cell: (d) => (
        <a
          className="truncate underline decoration-slate"
          href={withQuery('/survey/people', { sel: d.actor })}
        >
          {d.actorName}
        </a>
      ),
    },
    {
      key: 'what',
      name: 'Was about to',
      width: 'minmax(220px, 2fr)',
      cell: (d) => (
        <span className="truncate" title={`${d.action} ${d.name} ${d.where}`}>
          {consents(d) ? 'let in' : d.action} <b>{d.name}</b>
          {d.target && ` ${consents(d) ? 'for' : 'with'} ${d.target}`}{' '}
          <span className="text-quiet">{d.where}</span>
        </span>
      ),
    },
    ...(narrow
      ? []
      : ([
          {
            key: 'why',
            name: 'Why',
            width: 'minmax(180px, 1.5fr)',
            cell: (d) => {
              const more = [d.said, d.reason && `They said: ${d.reason}`].filter(Boolean).join(' ');
              return (
                <span className="truncate" title={more}>
                  {d.policy === null ? (
                    (d.said ?? 'What was surveyed does not let them.')
                  ) : (
                    <a
                      className="underline decoration-slate"
                      href={withQuery('/guard/policies', {
                        policy: String(d.policy),
                        rule: d.rule ?? undefined,
                      })}
                    >
                      {d.ruleName ?? d.rule}, version {d.version}
                    </a>
                  )}{' '}
                  <span className="text-quiet">{d.policy !== null && more}</span>
                </span>
              );
            },
          },
          {
            key: 'there',
            name: 'Far side',
            width: '100px',
            cell: (d) => (
              <FarSideLink person={d.actor.startsWith('user:') ? d.actor : undefined} at={d.key}>
                open
              </FarSideLink>
            ),
          },
        ] satisfies Column<DecisionRow>[])),
  ];
  const filtered = asked.outcome ?? asked.policy ?? asked.text;
  const ways = (
    <button className="btn btn-sm" onClick={() => setAsking(true)}>
      How workspaces ask …
    </button>
  );
  const dialog = asking && <AskingDialog close={() => setAsking(false)} />;
  if (first?.total === 0 && !filtered)
    return (
      <>
        <Empty action={ways}>
          Nothing was refused or cautioned so far. A workspace that asks before its people act is answered by
          the rules that are judged at the moment; what is no plain yes stands here, with the rule that
          decided.
        </Empty>
        {dialog}
      </>
    );
  return (
    <section className="flex h-full flex-col px-5 pt-2.5" aria-label="Decisions">
      <div className="flex items-center gap-3 pb-2">
        <h1 className="text-base font-bold">{first ? plural(first.total, 'decision') : 'Decisions'}</h1>
        <span className="flex-1 text-quiet">other than a plain yes</span>
        <Choose
          label="Which outcomes"
          width="w-48"
          value={asked.outcome}
          of={[['', 'All outcomes'], ...OUTCOMES.map((o) => [o, OUTCOME_WORDS[o]] as const)]}
          choose={(outcome) => set({ outcome })}
        />
        <Choose
          label="Of which policy"
          width="w-56"
          value={asked.policy}
          of={[['', 'All policies'], ...(policies ?? []).map((p) => [p.id, p.name] as const)]}
          choose={(policy) => set({ policy })}
        />
        <Find of="decisions" text={asked.text} find={(text) => set({ text })} />
        {ways}
        <ExportMenu table="decisions" query={asked} />
      </div>
      {query.error && <Trouble error={query.error} retry={() => void query.refetch()} />}
      {first?.total === 0 ? (
        <p className="border-t border-base-300 py-3 text-quiet">No decision is like that.</p>
      ) : (
        <Table
          label="Decisions"
          columns={columns}
          rows={rows}
          rowKey={(d) => d.id}
          selected={rows.find((d) => d.key === params.get('sel'))?.id}
          onSelect={(d) => {
            if (d?.key.startsWith('app:')) location.assign(openedAt(d.key));
            else set({ sel: d?.key }, 'push');
          }}
          onEnd={more}
        />
      )}
      {dialog}
    </section>
  );
}

/** Which workspaces ask, and the tokens with which they do. */
function AskingDialog({ close }: { close: () => void }) {
  const { data, error, refetch } = useQuery(ask('/api/decisions/asking'));
  return (
    <Dialog title="How workspaces ask" size="medium" close={close}>
      <div className="flex flex-col gap-3 p-4">
        <p>
          A workspace that is able to asks before somebody acts, by the OpenID AuthZEN Authorization API, at{' '}
          <code>/access/v1/evaluation</code> with a token of its own. If nobody answers it does as it is set
          itself.
        </p>
        {error && <Trouble error={error} retry={() => void refetch()} />}
        <SourceSecrets
          called="token"
          rows={(data ?? []).map((a) => ({
            source: a.source,
            name: a.name,
            has: a.can,
            said: !a.can ? (
              'does not ask'
            ) : a.lastAt ? (
              <>
                asked {count(a.asked)} times since the start, last <When at={a.lastAt} />
              </>
            ) : (
              'has a token, and has not asked since the start'
            ),
          }))}
          make={async (source) => (await send('POST', '/api/decisions/asking', { source })).token}
          end={(source) => send('DELETE', '/api/decisions/asking', { source })}
        />
      </div>
    </Dialog>
  );
}
