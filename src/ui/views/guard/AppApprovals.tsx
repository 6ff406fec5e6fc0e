/** Guard › App approvals: apps that people ask for, those that are approved until a day, and those that are refused. */
import { useMutation, useQuery } from '@tanstack/react-query';
import { useState, type ReactNode } from 'react';
import type { Account } from '../../../dto/accounts.ts';
import type { ApprovalRow, RequestRow } from '../../../dto/approvals.ts';
import { AppDossier } from '../../dossiers/AppDossier.tsx';
import { ask, openedAt, send } from '../../frame/api.ts';
import { Shell } from '../../frame/Shell.tsx';
import { useRefresh, useSigned } from '../../frame/signed.ts';
import { useUrl, type SetUrl } from '../../frame/url.ts';
import { dayWords } from '../../parts/dates.ts';
import { count, Empty, plural, State, Trouble, When } from '../../parts/marks.tsx';
import { usePinned } from '../../parts/pinned.ts';
import { TabBar, TabPanel, Tabs } from '../../parts/Tabs.tsx';
import { AnswerDialog, ApprovalDialog, PassDialog } from './approvals/Forms.tsx';

const SHOW = { asked: 'asked for', approved: 'approved', refused: 'refused' } as const;
type Show = keyof typeof SHOW;

export default function AppApprovals({ account, search }: { account: Account; search: string }) {
  const [params, set] = useUrl(search);
  const { shown, pinning } = usePinned(params.get('app') ?? undefined, () => set({ app: undefined }));
  return (
    <Shell
      account={account}
      path="/guard/apps"
      dossier={shown !== undefined && <AppDossier key={shown} app={shown} asOf={undefined} {...pinning} />}
    >
      <View show={(params.get('show') ?? 'asked') as Show} set={set} />
    </Shell>
  );
}

function View({ show, set }: { show: Show; set: SetUrl }) {
  const { data, error, refetch } = useQuery(ask('/api/apps/approvals'));
  if (error) return <Trouble error={error} retry={() => void refetch()} />;
  if (!data) return null;
  const waiting = data.requests.filter((r) => !r.answered);
  const of = (approved: boolean) => data.approvals.filter((a) => a.approved === approved);
  const counts = { asked: waiting.length, approved: of(true).length, refused: of(false).length };
  const open = (app: string) => set({ app }, 'push');
  return (
    <Tabs value={show} choose={(key) => set({ show: key === 'asked' ? undefined : key })}>
      <div className="flex h-full min-h-0 flex-col">
        <div className="px-4 py-2">
          <TabBar
            label="Which apps"
            tabs={(Object.entries(SHOW) as [Show, string][]).map(([key, name]) => [
              key,
              <>
                {name} <b>{counts[key]}</b>
              </>,
            ])}
          />
        </div>
        <TabPanel>
          <div className="min-h-0 flex-1 overflow-auto px-4 pb-6">
            {show === 'asked' ? (
              data.requests.length ? (
                <ul>
                  {data.requests.map((r) => (
                    <Request key={r.id} request={r} open={open} />
                  ))}
                </ul>
              ) : (
                <Empty>
                  Nobody waits for an app. Where a policy refuses one as somebody lets it in, they can ask for
                  it, and their request appears here.
                </Empty>
              )
            ) : of(show === 'approved').length ? (
              <ul>
                {of(show === 'approved').map((a) => (
                  <Stands key={a.id} approval={a} open={open} />
                ))}
              </ul>
            ) : (
              <Empty>
                {show === 'approved'
                  ? 'No app is approved yet. Approve one in its dossier, or by answering a request: policies can leave out what is approved.'
                  : 'No app is refused. Refuse one in its dossier, and policies can hold people to it.'}
              </Empty>
            )}
          </div>
        </TabPanel>
      </div>
    </Tabs>
  );
}

/** An app as it stands, in a line: its name opens its dossier. */
const AppLine = ({
  app,
  name,
  now,
  open,
}: Pick<ApprovalRow, 'app' | 'name' | 'now'> & { open: (app: string) => void }) => (
  <span>
    <button
      className="cursor-pointer font-bold underline decoration-slate hover:decoration-current"
      onClick={() => open(app)}
    >
      {name}
    </button>{' '}
    <span className="text-quiet">
      {now ? (
        <>
          {now.publisher || 'publisher not named'}, {now.verified ? 'verified' : 'not verified'};{' '}
          {count(now.points)} points; could read {plural(now.heavy, 'heavy file')};{' '}
          {now.everyone ? 'for everyone' : `let in by ${plural(now.people, 'person', 'people')}`}
        </>
      ) : (
        'nobody has let it in'
      )}
    </span>
  </span>
);

const Card = ({ children, action }: { children: ReactNode; action: ReactNode }) => (
  <li className="flex items-start gap-4 border-b border-base-300 py-3">
    <div className="min-w-0 flex-1 space-y-0.5">{children}</div>
    <div className="flex shrink-0 gap-2">{action}</div>
  </li>
);

function Request({ request: r, open }: { request: RequestRow; open: (app: string) => void }) {
  const { steward } = useSigned();
  const [answering, setAnswering] = useState<'approve' | 'refuse' | 'pass'>();
  const done = () => setAnswering(undefined);
  return (
    <Card
      action={
        r.answered ? (
          <State icon={r.answered.approved ? 'done' : 'failed'}>
            {r.answered.approved ? 'approved' : 'refused'}
          </State>
        ) : (
          steward && (
            <>
              <button className="btn btn-sm btn-primary" onClick={() => setAnswering('approve')}>
                Approve …
              </button>
              <button className="btn btn-sm" onClick={() => setAnswering('refuse')}>
                Refuse …
              </button>
              <button className="btn btn-sm btn-ghost" onClick={() => setAnswering('pass')}>
                Pass on …
              </button>
            </>
          )
        )
      }
    >
      <AppLine app={r.app} name={r.name} now={r.now} open={open} />
      <p>
        <a className="underline decoration-slate" href={openedAt(r.person)}>
          {r.personName}
        </a>{' '}
        asked <When at={r.at} />: “{r.reason}”
      </p>
      <p className="text-quiet">For {r.scopes.join(', ') || 'nothing that is named'}.</p>
      {r.similar.length > 0 && (
        <p>Approved already, of the same kind: {r.similar.map((s) => s.name).join(', ')}.</p>
      )}
      {r.answered && (
        <p className="text-quiet">
          {r.answered.by} answered <When at={r.answered.at} />: “{r.answered.answer}”
        </p>
      )}
      {r.sponsor && !r.answered && <p className="text-quiet">Passed on to {r.sponsor.name}.</p>}
      {answering === 'pass' ? (
        <PassDialog request={r} close={done} />
      ) : (
        answering && <AnswerDialog request={r} approve={answering === 'approve'} close={done} />
      )}
    </Card>
  );
}

function Stands({ approval: a, open }: { approval: ApprovalRow; open: (app: string) => void }) {
  const { steward } = useSigned();
  const refresh = useRefresh();
  const [editing, setEditing] = useState(false);
  const end = useMutation({
    mutationFn: () => send('DELETE', '/api/apps/approvals', { id: a.id }),
    onSuccess: refresh,
  });
  return (
    <Card
      action={
        steward && (
          <>
            <button className="btn btn-sm" onClick={() => setEditing(true)}>
              Change …
            </button>
            <button className="btn btn-sm btn-ghost" disabled={end.isPending} onClick={() => end.mutate()}>
              End it
            </button>
          </>
        )
      }
    >
      <AppLine app={a.app} name={a.name} now={a.now} open={open} />
      <p>
        {a.approved ? 'Approved' : 'Refused'} for {a.groups.length ? a.groups.join(', ') : 'everybody'}
        {a.until ? ` until ${dayWords(a.until)}` : ''}
        {a.over && <b>: that day is over, so it does not hold any more</b>}, by {a.by} <When at={a.at} />: “
        {a.reason}”
      </p>
      {a.approved && <p className="text-quiet">With {a.scopes.join(', ') || 'nothing'}.</p>}
      {a.more.length > 0 && <p className="font-medium">It was let in for more: {a.more.join(', ')}.</p>}
      {end.error && <Trouble error={end.error} />}
      {editing && (
        <ApprovalDialog
          given={{
            app: a.app,
            approved: a.approved,
            groups: a.groups,
            scopes: a.scopes,
            until: a.until,
            reason: '',
          }}
          name={a.name}
          close={() => setEditing(false)}
        />
      )}
    </Card>
  );
}
