/** Everything about one space, folder or file: reach, routes, who, why and why not, contents, facts. */
import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { ChevronDown, ChevronRight } from 'lucide-react';
import { useState, type ReactNode } from 'react';
import type { NodeDossier as Data, NodeRefDto, PersonRef, RouteDto, WhoRow } from '../../dto/access.ts';
import { FarSideLink } from '../parts/FarSide.tsx';
import { withQuery, ask } from '../frame/api.ts';
import { Contents } from './Found.tsx';
import { DossierFrame, Section, type Pinning } from './Frame.tsx';
import { Routes } from './Routes.tsx';
import { usePinned } from '../parts/pinned.ts';
import type { ObjectKey } from '../../core/remedy/plan.ts';
import { OptionsButton } from '../parts/Options.tsx';
import { Beam, plural, Trouble, Weight, When } from '../parts/marks.tsx';
import { Applies } from './Applies.tsx';
import { AppsAt } from './AppsHere.tsx';
import { asOfOf, type SetUrl } from '../frame/url.ts';
import { bytesWords, canWords, entryWords } from '../parts/words.ts';

type Answer = Data & { routes: RouteDto[] };

function NodeDossier({
  nodeKey,
  asOf,
  select,
  ...pinning
}: { nodeKey: string; asOf: number | undefined; select: (key: string) => void } & Pinning) {
  const { data, error, refetch } = useQuery(ask('/api/holdings/node', { node: nodeKey, asOf }));
  return (
    <DossierFrame
      name={data ? (data.spaceKind?.replace('-', ' ') ?? data.node.kind) : ' '}
      error={error}
      retry={() => void refetch()}
      {...pinning}
    >
      {data && <Body data={data} asOf={asOf} select={select} />}
    </DossierFrame>
  );
}

/** The dossier of the node that the address selects, or that was pinned; nothing where there is none. */
export function useNodeDossier(params: URLSearchParams, set: SetUrl): ReactNode {
  const sel = params.get('sel') ?? undefined;
  // a workspace has none
  const { shown, pinning } = usePinned(sel?.startsWith('workspace:') ? undefined : sel, () =>
    set({ sel: undefined }),
  );
  return (
    shown !== undefined && (
      <NodeDossier
        key={shown}
        nodeKey={shown}
        asOf={asOfOf(params)}
        select={(key) => set({ sel: key }, 'push')}
        {...pinning}
      />
    )
  );
}

const NodeLink = ({ node, select }: { node: NodeRefDto; select: (key: string) => void }) => (
  <button
    className="cursor-pointer text-left underline decoration-slate hover:decoration-current"
    onClick={() => select(node.key)}
  >
    {node.name}
  </button>
);

function Body({
  data,
  asOf,
  select,
}: {
  data: Answer;
  asOf: number | undefined;
  select: (key: string) => void;
}) {
  const { now, could } = data.reach;
  const isFile = data.node.kind === 'file';
  return (
    <>
      <header className="px-4 py-3">
        <h2 className="text-base font-bold leading-snug break-words">{data.node.name}</h2>
        <p className="text-quiet break-words">
          {data.workspace}
          {data.path.map((p) => (
            <span key={p.key}>
              {' › '}
              <NodeLink node={p} select={select} />
            </span>
          ))}
        </p>
        <p>
          <FarSideLink at={data.node.key} person={data.ownerKeys[0]}>
            {data.ownerKeys[0] ? `Open it on the far side as ${data.owners[0]}` : 'Open it on the far side'}
          </FarSideLink>
        </p>
        <div className="mt-2 flex items-center gap-4">
          <Beam now={now.tier} could={could.tier} large words={false} />
          <div className="leading-snug">
            <div>
              Now <b>{now.tier}</b>
              {could.tier !== now.tier && (
                <>
                  , could be <b>{could.tier}</b>
                </>
              )}
            </div>
            <div className="flex items-center gap-1.5 text-quiet">
              <Weight weight={data.weight} /> weight {data.weight}
              {isFile ? ` allows ${data.allowed}` : ' is the heaviest in it'}
            </div>
          </div>
        </div>
        {now.domains.length > 0 && !now.anyone && (
          <p className="mt-2">
            Reached from outside by{' '}
            {now.domains.map((d, i) => (
              <span key={d}>
                {i > 0 && ', '}
                <a
                  className="underline"
                  href={withQuery('/survey/people', { show: 'domains', sel: `domain:${d}`, asof: asOf })}
                >
                  {d}
                </a>
              </span>
            ))}
            .
          </p>
        )}
        {data.exposed > 0 && (
          <p className="mt-2">
            <a
              className="underline"
              href={withQuery(
                '/exposure/findings',
                isFile
                  ? { text: data.node.name }
                  : { space: data.node.kind === 'space' ? data.node.name : data.path[0]?.name },
              )}
            >
              {isFile ? 'It is an open finding' : `${plural(data.exposed, 'exposed file')} in it`}
            </a>
            {isFile ? ': its reach is more than its weight allows.' : '.'}
          </p>
        )}
      </header>
      {asOf === undefined && (
        <p className="px-4 pb-2">
          <OptionsButton of={objectOf(data)} name={`“${data.node.name}”`} small={false} />
        </p>
      )}
      <Routes reach={data.reach} routes={data.routes} file={data.node.name} nodeKey={data.node.key} />
      <Who nodeKey={data.node.key} asOf={asOf} usedDays={data.usedDays} />
      {isFile ? (
        <Contents
          source={data.source}
          item={data.node.key.slice(`item:${data.source}:`.length)}
          contents={data.contents}
          unread={data.unread}
          label={data.label}
          now={asOf === undefined}
        />
      ) : (
        data.heaviest.length > 0 && (
          <Section name="The heaviest in it" aside={plural(data.files, 'file')}>
            <ul>
              {data.heaviest.map((h) => (
                <li key={h.node.key} className="flex items-center gap-2 py-0.5">
                  <Weight weight={h.weight} />
                  <Beam now={h.now} could={h.could} words={false} />
                  <span className="min-w-0 flex-1 truncate">
                    <NodeLink node={h.node} select={select} />
                  </span>
                  {h.finding && <span className="text-xs text-quiet">exposed</span>}
                </li>
              ))}
            </ul>
          </Section>
        )
      )}
      <AppsAt nodeKey={data.node.key} file={isFile} asOf={asOf} />
      {asOf === undefined && <Applies of={data.node.key} />}
      <Section
        name="Facts"
        aside={
          <>
            as of survey {data.survey}, <When at={data.takenAt} />
          </>
        }
      >
        <dl className="grid grid-cols-[7rem_1fr] gap-y-0.5">
          <dt className="text-quiet">{data.node.kind === 'space' ? 'Owners' : 'Owner'}</dt>
          <dd>{data.owners.join(', ') || 'nobody'}</dd>
          {data.settings.length > 0 && (
            <>
              <dt className="text-quiet">Settings</dt>
              <dd>{data.settings.join('; ')}</dd>
            </>
          )}
          {data.parts.length > 0 && (
            <>
              <dt className="text-quiet">Its parts</dt>
              <dd>
                {data.parts.map((p) => (
                  <div key={p.key}>
                    <NodeLink node={p} select={select} />
                  </div>
                ))}
              </dd>
            </>
          )}
          <dt className="text-quiet">Label</dt>
          <dd>{data.label ?? 'none'}</dd>
          {data.mime && (
            <>
              <dt className="text-quiet">Kind</dt>
              <dd>{data.mime}</dd>
            </>
          )}
          <dt className="text-quiet">Size</dt>
          <dd>
            {bytesWords(data.bytes ?? 0)}
            {!isFile && ` in ${plural(data.files, 'file')}`}
          </dd>
          <dt className="text-quiet">Last activity</dt>
          <dd>
            <When at={data.lastActivity} />
          </dd>
          <dt className="text-quiet">Identifier</dt>
          <dd className="font-mono break-all">{data.node.key.split(':').slice(2).join(':')}</dd>
        </dl>
      </Section>
    </>
  );
}

const objectOf = (data: Answer): ObjectKey => ({
  kind: data.node.kind === 'space' ? 'space' : 'item',
  source: data.source,
  id: data.node.key.split(':').slice(2).join(':'),
});

const KINDS = [
  ['', 'all'],
  ['outsider', 'outsiders'],
  ['guest', 'guests'],
  ['member', 'members'],
] as const;

function Who({ nodeKey, asOf, usedDays }: { nodeKey: string; asOf: number | undefined; usedDays: number }) {
  const [kind, setKind] = useState('');
  const [text, setText] = useState('');
  const [shown, setShown] = useState(25);
  const [open, setOpen] = useState<string>();
  const { data, error } = useQuery({
    ...ask('/api/holdings/who', { node: nodeKey, asOf, kind, text, limit: shown }),
    placeholderData: keepPreviousData,
  });
  return (
    <Section name="Who can reach it" aside={data && plural(data.total, 'identity', 'identities')}>
      <div className="mb-1 flex items-center gap-2">
        <input
          className="input input-xs flex-1"
          type="search"
          aria-label="Find a person here, or ask why somebody is not here"
          placeholder="find a person, or ask why not"
          value={text}
          onChange={(e) => setText(e.target.value)}
        />
        <select
          className="select select-xs w-28"
          aria-label="Kind of identity"
          value={kind}
          onChange={(e) => setKind(e.target.value)}
        >
          {KINDS.map(([k, words]) => (
            <option key={k} value={k}>
              {words}
            </option>
          ))}
        </select>
      </div>
      {error && <Trouble error={error} />}
      <ul>
        {data?.rows.map((r) => (
          <Holder
            key={r.person.id}
            row={r}
            usedDays={usedDays}
            open={open === r.person.id}
            toggle={() => setOpen(open === r.person.id ? undefined : r.person.id)}
            nodeKey={nodeKey}
            asOf={asOf}
          />
        ))}
      </ul>
      {data && data.total > data.rows.length && (
        <button className="btn btn-xs btn-ghost" onClick={() => setShown(Math.min(500, shown + 100))}>
          Show more of {data.total}
        </button>
      )}
      {text.length > 1 && (
        <WhyNot
          text={text}
          nodeKey={nodeKey}
          asOf={asOf}
          here={new Set(data?.rows.map((r) => r.person.id))}
        />
      )}
    </Section>
  );
}

function Holder({
  row: { person, capabilities, used },
  usedDays,
  open,
  toggle,
  nodeKey,
  asOf,
}: {
  row: WhoRow;
  usedDays: number;
  open: boolean;
  toggle: () => void;
  nodeKey: string;
  asOf: number | undefined;
}) {
  return (
    <li className="border-b border-base-300">
      <button
        aria-expanded={open}
        className="flex w-full cursor-pointer items-center gap-2 py-1 text-left hover:bg-base-200"
        onClick={toggle}
      >
        {open ? (
          <ChevronDown size={13} aria-hidden className="shrink-0" />
        ) : (
          <ChevronRight size={13} aria-hidden className="shrink-0" />
        )}
        <span className={`min-w-0 flex-1 truncate ${person.kind === 'member' ? '' : 'font-semibold'}`}>
          {person.kind === 'member' ? person.name : person.address}
          {person.kind !== 'member' && <span className="font-normal text-quiet"> {person.kind}</span>}
        </span>
        <span>{canWords(capabilities)}</span>
        <span
          className="w-14 text-right text-xs text-quiet"
          title={`used in the last ${usedDays} days, where the workspace reports activity`}
        >
          {used}
        </span>
      </button>
      {open && (
        <>
          <Why nodeKey={nodeKey} person={person} asOf={asOf} />
          {person.kind !== 'outsider' && (
            <p className="mb-2 ml-5 pl-3">
              <FarSideLink at={nodeKey} person={`user:${person.id}`}>
                See it there as they do
              </FarSideLink>
            </p>
          )}
        </>
      )}
    </li>
  );
}

/** Why one identity reaches a node, and what keeps it from more. */
function Why({
  nodeKey,
  person,
  asOf,
}: {
  nodeKey: string;
  person: Pick<PersonRef, 'id'>;
  asOf: number | undefined;
}) {
  const { data, error } = useQuery(ask('/api/holdings/why', { node: nodeKey, identity: person.id, asOf }));
  if (error) return <Trouble error={error} />;
  if (!data) return null;
  const full = data.capabilities.length === 8;
  return (
    <div className="mb-2 ml-5 border-l-2 border-slate pl-3">
      {data.routes.map((r, i) => (
        <p key={i} className="py-0.5">
          <b>{r.role}</b>
          {r.groups.length > 0 && <> through {r.groups.map((g) => `“${g.name}”`).join(' in ')}</>}
          {r.as === 'everyone' && ' as one of everyone'}
          {r.as === 'domain' && ' by the domain'}
          {r.as === 'redeemed' && ' having followed it'}:{' '}
          {'id' in r.through
            ? entryWords(r.through)
            : r.through.kind === 'ownership'
              ? 'owns it'
              : `“${r.through.name}” is visible to all`}
          {r.down.length > 1 && (
            <span className="text-quiet"> down {r.down.map((d) => d.name).join(' › ')}</span>
          )}
          <span className="text-quiet"> · {r.used ? 'used' : 'only granted'}</span>
        </p>
      ))}
      {data.capabilities.length === 0 && (
        <p className="py-0.5">
          <b>{data.person.name}</b> can do nothing with it.
        </p>
      )}
      {!full &&
        data.keeps.map((k, i) => (
          <p key={i} className="py-0.5 text-quiet">
            {k.words}
          </p>
        ))}
      <a
        className="text-xs underline"
        href={withQuery('/survey/people', {
          sel: data.person.kind === 'outsider' ? `outsider:${data.person.id}` : `user:${data.person.id}`,
          show: `${data.person.kind}s`,
          asof: asOf,
        })}
      >
        what else {data.person.name} can reach
      </a>
    </div>
  );
}

/** Whoever is asked for and is not among those who reach it: step by step, what keeps them out. */
function WhyNot({
  text,
  nodeKey,
  asOf,
  here,
}: {
  text: string;
  nodeKey: string;
  asOf: number | undefined;
  here: Set<string>;
}) {
  const { data } = useQuery(ask('/api/search', { text, limit: 40 }));
  const [open, setOpen] = useState<string>();
  const others = (data ?? [])
    .filter((d) => d.kind === 'person')
    .map((d) => ({ ...d, id: d.key.slice(d.key.indexOf(':') + 1) }))
    .filter((d) => !here.has(d.id));
  if (!others.length) return null;
  return (
    <div className="mt-2">
      <p className="text-xs font-semibold text-quiet">Not among them: why not?</p>
      <ul>
        {others.slice(0, 6).map((o) => (
          <li key={o.key} className="border-b border-base-300">
            <button
              aria-expanded={open === o.key}
              className="flex w-full cursor-pointer items-center gap-2 py-1 text-left hover:bg-base-200"
              onClick={() => setOpen(open === o.key ? undefined : o.key)}
            >
              {open === o.key ? (
                <ChevronDown size={13} aria-hidden />
              ) : (
                <ChevronRight size={13} aria-hidden />
              )}
              <span className="min-w-0 flex-1 truncate">
                {o.name} <span className="text-quiet">{o.detail}</span>
              </span>
            </button>
            {open === o.key && <Why nodeKey={nodeKey} person={{ id: o.id }} asOf={asOf} />}
          </li>
        ))}
      </ul>
    </div>
  );
}
