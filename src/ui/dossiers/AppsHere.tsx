/** Apps that could read a file, folder or space, and those that somebody let in. */
import { useQuery } from '@tanstack/react-query';
import { Workflow } from 'lucide-react';
import { useState, type ReactNode } from 'react';
import type { AppReaderRow } from '../../dto/apps.ts';
import { ask, withQuery } from '../frame/api.ts';
import { RouteGraphDialog } from '../drawings/AllRoutes.tsx';
import { count, plural, Trouble, When } from '../parts/marks.tsx';
import { canWords } from '../parts/words.ts';
import { Section } from './Frame.tsx';

const FIRST = 6;

/** Apps that could read it. */
export function AppsAt({
  nodeKey,
  file,
  asOf,
}: {
  nodeKey: string;
  file: boolean;
  asOf: number | undefined;
}) {
  const { data, error } = useQuery(ask('/api/apps/at', { node: nodeKey, asOf }));
  const [drawn, setDrawn] = useState<AppReaderRow>();
  if (error) return <Trouble error={error} />;
  if (!data?.length) return null;
  return (
    <Section
      name={file ? 'Apps that could read it' : 'Apps that could read something in it'}
      aside={String(data.length)}
    >
      <Rows rows={data} asOf={asOf}>
        {(a) => (
          <>
            <span className="block text-quiet">
              {a.everyone
                ? 'for everyone'
                : a.people
                  ? `through ${plural(a.people, 'person', 'people')}`
                  : 'by what lies in it'}
              {a.files !== undefined && `; ${plural(a.files, 'file')}`}
              {a.capabilities.length > 0 && `; ${canWords(a.capabilities)}`}
            </span>
            {a.capabilities.includes('open') && (
              <button className="btn btn-xs btn-ghost" onClick={() => setDrawn(a)}>
                <Workflow size={13} aria-hidden /> Draw how
              </button>
            )}
          </>
        )}
      </Rows>
      {drawn && <RouteGraphDialog nodeKey={nodeKey} app={drawn} close={() => setDrawn(undefined)} />}
    </Section>
  );
}

/** Apps that somebody let in, and what they were let in for. */
export function AppsOfPerson({ person, asOf }: { person: string; asOf: number | undefined }) {
  const { data, error } = useQuery(ask('/api/apps/of', { key: person, asOf }));
  if (error) return <Trouble error={error} />;
  if (!data?.length) return null;
  return (
    <Section name="Apps that read for them" aside={String(data.length)}>
      <Rows rows={data} asOf={asOf}>
        {(a) => (
          <span className="block text-quiet">
            {a.everyone ? (
              'Let in for everyone. '
            ) : a.lastUsed ? (
              <>
                Used <When at={a.lastUsed} />.{' '}
              </>
            ) : (
              'Never seen used. '
            )}
            It can {a.scopes.join('; ')}.
          </span>
        )}
      </Rows>
    </Section>
  );
}

function Rows<R extends AppReaderRow>({
  rows,
  asOf,
  children,
}: {
  rows: R[];
  asOf: number | undefined;
  children: (row: R) => ReactNode;
}) {
  const [all, setAll] = useState(false);
  return (
    <>
      <ul>
        {rows.slice(0, all ? rows.length : FIRST).map((a) => (
          <li key={a.key} className="border-b border-base-300 py-1">
            <span className="flex items-baseline gap-2">
              <a
                className="min-w-0 flex-1 truncate font-medium underline decoration-slate hover:decoration-current"
                href={withQuery('/exposure/apps', { app: a.key, asof: asOf })}
              >
                {a.name}
              </a>
              {!a.verified && <span>not verified</span>}
              <span className={a.severity === 'critical' ? 'font-bold' : 'text-quiet'}>
                {count(a.points)} points
              </span>
            </span>
            {children(a)}
          </li>
        ))}
      </ul>
      {rows.length > FIRST && (
        <button className="btn btn-xs btn-ghost" onClick={() => setAll(!all)}>
          {all ? 'Show fewer' : `Show all ${rows.length}`}
        </button>
      )}
    </>
  );
}
