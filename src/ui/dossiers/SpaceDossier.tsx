/** A space as it is reviewed: what happens in it, who owns it or may, what it is for and whether it is set so. */
import { useQuery } from '@tanstack/react-query';
import { lazy, Suspense, type ReactNode } from 'react';
import { ACTIVITY_NAMES, ACTIVITY_SOURCES } from '../../core/ask/activity.ts';
import type { SpacePage } from '../../dto/charters.ts';
import { ask } from '../frame/api.ts';
import type { SetUrl } from '../frame/url.ts';
import { plural, Weight, When } from '../parts/marks.tsx';
import { usePinned } from '../parts/pinned.ts';
import { bytesWords } from '../parts/words.ts';
import { fieldWords } from '../../core/filter/fields.ts';
import { DossierFrame, Section, type Pinning } from './Frame.tsx';

const Activity = lazy(() => import('../drawings/Activity.tsx'));

/** The dossier of the space that the address selects, or that was pinned; nothing where there is none. */
export function useSpaceDossier(params: URLSearchParams, set: SetUrl): ReactNode {
  const { shown, pinning } = usePinned(params.get('sel') ?? undefined, () => set({ sel: undefined }));
  return shown !== undefined && <SpaceDossier key={shown} space={shown} {...pinning} />;
}

function SpaceDossier({ space, ...pinning }: { space: string } & Pinning) {
  const { data, error, refetch } = useQuery(ask('/api/spaces/one', { space }));
  return (
    <DossierFrame
      name={data?.row.kind.replace('-', ' ') ?? ' '}
      error={error}
      retry={() => void refetch()}
      {...pinning}
    >
      {data && <Body {...data} />}
    </DossierFrame>
  );
}

function Body({ row: r, byDay, from, to }: SpacePage) {
  return (
    <>
      <header className="px-4 py-3">
        <h2 className="text-base font-bold leading-snug break-words">{r.name}</h2>
        <p className="text-quiet">{r.workspace}</p>
        {r.parts.length > 0 && (
          <p className="text-quiet">Counted with it: {r.parts.map((p) => p.name).join(', ')}</p>
        )}
        <p className="mt-2 flex items-center gap-1.5">
          <Weight weight={r.weight} /> {plural(r.files, 'file')}, {bytesWords(r.bytes)};{' '}
          {plural(r.external, 'person', 'people')} from outside
        </p>
        <p className="mt-1">
          <a
            className="underline decoration-slate"
            href={`/survey/holdings?sel=${encodeURIComponent(r.key)}`}
          >
            Who can reach it, and how
          </a>
        </p>
      </header>
      <Section
        name={
          r.idleDays < 0
            ? 'Nothing is known to have happened in it'
            : `Nothing for ${plural(r.idleDays, 'day')}`
        }
        aside={`dormant after ${r.limit}`}
      >
        <Suspense fallback={<div className="h-[110px]" />}>
          <Activity days={byDay} from={from} to={to} />
        </Suspense>
        <dl className="mt-2 grid grid-cols-[150px_1fr] gap-y-0.5">
          {ACTIVITY_NAMES.map((n) => (
            <div key={n} className="contents">
              <dt className="text-quiet first-letter:uppercase">{ACTIVITY_SOURCES[n]}</dt>
              <dd>{r.bySource[n] ? <When at={r.bySource[n]} /> : 'never seen'}</dd>
            </div>
          ))}
          <dt className="text-quiet">Made</dt>
          <dd>{r.created ? <When at={r.created} /> : 'not known'}</dd>
        </dl>
        {r.kept && (
          <p className="mt-2">
            Kept until {r.kept.until} by {r.kept.by}: {r.kept.reason}
          </p>
        )}
      </Section>
      <Section name="Owners" aside={r.leastOwners > 1 ? `its charter wants ${r.leastOwners}` : undefined}>
        {r.owners.length ? (
          <ul>
            {r.owners.map((o) => (
              <li key={o.name}>
                {o.name}
                {!o.active && <span className="text-quiet"> has no active account any more</span>}
              </li>
            ))}
          </ul>
        ) : (
          <p>Nobody is named as its owner.</p>
        )}
        {!r.owners.some((o) => o.active) && r.likely.length > 0 && (
          <>
            <p className="mt-2 font-semibold">Who may own it, in the order in which they would be asked</p>
            <ol className="list-decimal pl-5">
              {r.likely.map((o) => (
                <li key={o.key}>
                  {o.name} <span className="text-quiet">{o.why}</span>
                </li>
              ))}
            </ol>
          </>
        )}
      </Section>
      <Section name="Charter">
        {r.charter ? (
          <p>
            <b>{r.charter.purposeName}</b>, <b>{r.charter.sensitivityName}</b>
            {r.chartered && (
              <span className="text-quiet">
                {' '}
                since <When at={r.chartered.at} />, by {r.chartered.by}
              </span>
            )}
          </p>
        ) : (
          <p>It has none: nobody has said what it is for.</p>
        )}
        {r.differs.length > 0 && (
          <ul className="mt-1">
            {r.differs.map((d) => (
              <li key={d.setting}>
                {fieldWords(d.setting)}: <b>{settingValue(d.is)}</b>
                <span className="text-quiet"> instead of {settingValue(d.wanted)}</span>
              </li>
            ))}
          </ul>
        )}
      </Section>
      {r.asked && (
        <Section name="Asked">
          <p>
            <a className="underline decoration-slate" href={`/review/rounds?round=${r.asked.round}`}>
              {r.asked.of.join(', ') || 'The stewards'}
            </a>{' '}
            until <When at={r.asked.until} />
          </p>
        </Section>
      )}
    </>
  );
}

const settingValue = (value: string): string =>
  value === '' ? 'not set' : value === 'true' ? 'yes' : value === 'false' ? 'no' : value.replaceAll('-', ' ');
