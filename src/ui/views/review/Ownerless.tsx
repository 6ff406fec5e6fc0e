/** Review › Ownerless: spaces that nobody owns any more, and who may; asked one after another. */
import type { Account } from '../../../dto/accounts.ts';
import { useSpaceDossier } from '../../dossiers/SpaceDossier.tsx';
import { Shell } from '../../frame/Shell.tsx';
import { useUrl } from '../../frame/url.ts';
import { plural } from '../../parts/marks.tsx';
import {
  askedColumn,
  externalColumn,
  filesColumn,
  nameColumn,
  ownersColumn,
  seenColumn,
  SpacesTable,
  weightColumn,
  type SpaceColumn,
} from './spaces/SpacesTable.tsx';

const likelyColumn: SpaceColumn = {
  key: 'likely',
  name: 'Who may own it',
  width: 'minmax(220px, 1.6fr)',
  cell: (r) => {
    const [first] = r.likely;
    return first ? (
      <span className="truncate" title={r.likely.map((o) => `${o.name}: ${o.why}`).join('\n')}>
        <b>{first.name}</b> <span className="text-quiet">{first.why}</span>
      </span>
    ) : (
      <span className="text-quiet">nobody who is known to use it</span>
    );
  },
};

export default function Ownerless({ account, search }: { account: Account; search: string }) {
  const [params, set] = useUrl(search);
  const dossier = useSpaceDossier(params, set);
  const narrow = Boolean(dossier);
  const few = params.get('show') === 'few';
  return (
    <Shell account={account} path="/review/ownerless" dossier={dossier}>
      <SpacesTable
        params={params}
        set={set}
        narrow={narrow}
        of="ownerless"
        kind="owner"
        sort="weight.down"
        title={(total) => (
          <>
            <b>
              {few
                ? `${plural(total, 'space')} with fewer owners than the charter wants`
                : `${plural(total, 'space')} without an active owner`}
            </b>{' '}
            <span className="text-quiet">personal drives are not counted</span>
          </>
        )}
        shows={[
          ['', 'no active owner'],
          ['few', 'fewer than the charter wants'],
        ]}
        columns={[
          nameColumn,
          weightColumn,
          likelyColumn,
          ...(narrow ? [] : [filesColumn, externalColumn, few ? ownersColumn : seenColumn]),
          askedColumn,
        ]}
        empty={
          few
            ? 'Every space has as many owners as its charter wants.'
            : 'Every space has an owner whose account is active.'
        }
        actions={(_, spaces) =>
          !spaces.length && (
            <span className="text-xs text-quiet">
              The likeliest is asked first; whoever says yes becomes the owner.
            </span>
          )
        }
      />
    </Shell>
  );
}
