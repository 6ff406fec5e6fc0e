/** Review › Charters: what each space is for, which of them differ from that, and the purposes and sensitivities themselves. */
import { useQuery } from '@tanstack/react-query';
import { lazy, Suspense, useState } from 'react';
import type { Account } from '../../../dto/accounts.ts';
import { useSpaceDossier } from '../../dossiers/SpaceDossier.tsx';
import { ask } from '../../frame/api.ts';
import { Shell } from '../../frame/Shell.tsx';
import { useUrl, type ViewProps } from '../../frame/url.ts';
import { dayWords, exactly } from '../../parts/dates.ts';
import { count, When } from '../../parts/marks.tsx';
import { fieldWords } from '../../../core/filter/fields.ts';
import {
  askedColumn,
  nameColumn,
  ownersColumn,
  SpacesTable,
  weightColumn,
  type SpaceColumn,
} from './spaces/SpacesTable.tsx';

const Book = lazy(() => import('./charters/Book.tsx'));
const Give = lazy(() => import('./charters/Give.tsx'));

const charterColumns: SpaceColumn[] = [
  {
    key: 'purpose',
    name: 'Purpose',
    width: '120px',
    cell: (r) => r.charter?.purposeName ?? <span className="text-quiet">not said</span>,
  },
  {
    key: 'sensitivity',
    name: 'Sensitivity',
    width: '120px',
    cell: (r) => r.charter?.sensitivityName ?? <span className="text-quiet">not said</span>,
  },
];
const differsColumn: SpaceColumn = {
  key: 'differs',
  name: 'Set otherwise',
  width: 'minmax(160px, 1.2fr)',
  cell: (r) =>
    r.differs.length ? (
      <span
        className="truncate font-medium"
        title={r.differs.map((d) => `${fieldWords(d.setting)}: ${d.is}, not ${d.wanted}`).join('\n')}
      >
        {r.differs.map((d) => fieldWords(d.setting).toLowerCase()).join(', ')}
      </span>
    ) : r.charter ? (
      <span className="text-quiet">as it should be</span>
    ) : (
      ''
    ),
};
const sinceColumn: SpaceColumn = {
  key: 'since',
  name: 'Since',
  width: '150px',
  // without a charter: since it was made
  cell: (r) =>
    r.chartered ? (
      <When at={r.chartered.at} />
    ) : (
      r.created && (
        <time className="whitespace-nowrap text-quiet" dateTime={r.created} title={exactly(r.created)}>
          made {dayWords(r.created)}
        </time>
      )
    ),
};

export default function Charters({ account, search }: { account: Account; search: string }) {
  const [params, set] = useUrl(search);
  const dossier = useSpaceDossier(params, set);
  const page = params.get('page') === 'book';
  return (
    <Shell account={account} path="/review/charters" dossier={page ? undefined : dossier}>
      <View params={params} set={set} narrow={Boolean(dossier)} />
    </Shell>
  );
}

function View({ params, set, narrow }: ViewProps) {
  const { data: book } = useQuery(ask('/api/charters'));
  const [giving, setGiving] = useState<readonly string[]>();
  const show = params.get('show');
  const page = params.get('page') === 'book';
  return (
    <>
      {page ? (
        <Suspense fallback={null}>{book && <Book book={book} set={set} />}</Suspense>
      ) : (
        <SpacesTable
          params={params}
          set={set}
          narrow={narrow}
          of="charters"
          kind="charter"
          sort="weight.down"
          title={(total) =>
            show === 'differs' ? (
              <b>
                {count(total)} {total === 1 ? 'space differs' : 'spaces differ'} from what their charter says
              </b>
            ) : show === 'none' ? (
              <b>
                {count(total)} {total === 1 ? 'space has' : 'spaces have'} no charter
              </b>
            ) : (
              book && (
                <>
                  <b>
                    {count(book.chartered)} of {count(book.spaces)} spaces have a charter
                    {book.spaces > 0 && ` (${Math.floor((100 * book.chartered) / book.spaces)} %)`}
                  </b>{' '}
                  {book.differs > 0 && (
                    <button className="underline decoration-slate" onClick={() => set({ show: 'differs' })}>
                      {count(book.differs)} set otherwise
                    </button>
                  )}
                </>
              )
            )
          }
          shows={[
            ['', 'all spaces'],
            ['none', 'without a charter'],
            ['differs', 'set otherwise'],
          ]}
          columns={[
            nameColumn,
            weightColumn,
            ...charterColumns,
            differsColumn,
            ...(narrow ? [] : [sinceColumn, ownersColumn]),
            askedColumn,
          ]}
          empty={
            show === 'differs'
              ? 'Every space that has a charter is set as it says.'
              : show === 'none'
                ? 'Every space has a charter.'
                : 'Here you will see what each space is for. For that, survey your workspaces.'
          }
          actions={(does, spaces) => (
            <>
              <button className="btn btn-xs" disabled={!spaces.length} onClick={() => setGiving(spaces)}>
                Give a charter …
              </button>
              <button className="btn btn-xs" disabled={!spaces.length} onClick={() => does('set-so')}>
                Set as the charter says …
              </button>
              <button className="btn btn-xs" disabled={!spaces.length} onClick={() => does('no-charter')}>
                Take the charter away
              </button>
            </>
          )}
          aside={
            <button className="btn btn-sm" onClick={() => set({ page: 'book', sel: undefined }, 'push')}>
              Purposes and sensitivities
            </button>
          }
        />
      )}
      {giving && book && (
        <Suspense fallback={null}>
          <Give book={book} spaces={giving} close={() => setGiving(undefined)} />
        </Suspense>
      )}
    </>
  );
}
