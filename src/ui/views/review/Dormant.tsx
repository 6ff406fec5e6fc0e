/** Review › Dormant: spaces in which nothing happens any more; asked about first, then kept, archived or deleted. */
import { useState } from 'react';
import { acceptForm } from '../../../dto/forms.ts';
import type { Account } from '../../../dto/accounts.ts';
import { useSpaceDossier } from '../../dossiers/SpaceDossier.tsx';
import { send } from '../../frame/api.ts';
import { Shell } from '../../frame/Shell.tsx';
import { useUrl } from '../../frame/url.ts';
import { plural } from '../../parts/marks.tsx';
import { UntilDialog } from '../../parts/UntilDialog.tsx';
import {
  askedColumn,
  externalColumn,
  filesColumn,
  lastColumn,
  nameColumn,
  ownersColumn,
  seenColumn,
  SpacesTable,
  weightColumn,
} from './spaces/SpacesTable.tsx';

export default function Dormant({ account, search }: { account: Account; search: string }) {
  const [params, set] = useUrl(search);
  const dossier = useSpaceDossier(params, set);
  const [keeping, setKeeping] = useState<readonly string[]>();
  const narrow = Boolean(dossier);
  const show = params.get('show');
  return (
    <Shell account={account} path="/review/dormant" dossier={dossier}>
      <SpacesTable
        params={params}
        set={set}
        narrow={narrow}
        of="dormant"
        kind="needed"
        sort="idle.down"
        title={(total, of) => (
          <>
            <b>
              {plural(total, 'space')}{' '}
              {show === 'kept' ? 'kept' : show === 'archived' ? 'put away' : 'dormant'}
            </b>{' '}
            <span className="text-quiet">of {of.toLocaleString('en')}; a team and its parts are one</span>
          </>
        )}
        shows={[
          ['', 'dormant'],
          ['kept', 'kept though nothing happens'],
          ['archived', 'archived, or in the bin'],
        ]}
        columns={[
          nameColumn,
          lastColumn,
          weightColumn,
          ...(narrow ? [] : [seenColumn, filesColumn, externalColumn, ownersColumn]),
          askedColumn,
        ]}
        empty={
          show
            ? 'There is none.'
            : 'Nothing is dormant: in every space something has happened within the time that its charter gives it, or 90 days where it has none.'
        }
        actions={(does, spaces) => (
          <>
            <button className="btn btn-xs" disabled={!spaces.length} onClick={() => setKeeping(spaces)}>
              Keep until …
            </button>
            <button className="btn btn-xs" disabled={!spaces.length} onClick={() => does('archive')}>
              Archive …
            </button>
            <button className="btn btn-xs" disabled={!spaces.length} onClick={() => does('delete')}>
              Delete …
            </button>
            {!spaces.length && (
              <span className="text-xs text-quiet">
                Owners are best asked first. Archive and Delete make a plan, which you look at before it
                begins.
              </span>
            )}
          </>
        )}
      />
      {keeping && (
        <UntilDialog
          title={`Keep ${plural(keeping.length, 'space')}`}
          about="Until and including this day they do not count as dormant, though nothing happens in them."
          button="Keep"
          schema={acceptForm}
          save={({ until, reason }) =>
            send('POST', '/api/spaces', { does: { act: 'keep', spaces: [...keeping], until, reason } })
          }
          close={() => setKeeping(undefined)}
        />
      )}
    </Shell>
  );
}
