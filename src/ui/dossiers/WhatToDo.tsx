/** The smallest fixes of a finding, and other changes that can be picked up. */
import { useQuery } from '@tanstack/react-query';
import { Check } from 'lucide-react';
import { useState } from 'react';
import type { Dossier as DossierData, FindingRow } from '../../dto/exposure.ts';
import type { EntryRef } from '../../dto/access.ts';
import { ask } from '../frame/api.ts';
import { Compose } from '../parts/Compose.tsx';
import { plural, Trouble } from '../parts/marks.tsx';
import { useSigned } from '../frame/signed.ts';
import { OptionsButton } from '../parts/Options.tsx';
import { usePickUp } from '../frame/Tray.tsx';
import { fixCost } from '../parts/words.ts';

/** The cheapest fix of a finding that is open, worked out for itself so that nothing else waits for it. */
export const useFix = (row: FindingRow) =>
  useQuery({
    ...ask('/api/findings/fix', { finding: row.id }),
    staleTime: Infinity,
    enabled: row.kind === 'exposure' && (row.state === 'open' || row.state === 'reopened'),
  });

/** The cheapest fix first: withdraw what lets outsiders in and nobody else. */
export function WhatToDo({ dossier, row }: { dossier: DossierData; row: FindingRow }) {
  const [composing, setComposing] = useState(false);
  const { steward } = useSigned();
  const { pickUp, has: tray } = usePickUp();
  const { withdrawable, mixed } = dossier;
  const left = withdrawable.filter((e) => !tray(e));
  const { data: fix } = useFix(row);
  const keys = (list: readonly { kind: string; source: string; id: string }[]): string =>
    list
      .map((c) => `${c.kind} ${c.source} ${c.id}`)
      .sort()
      .join();
  // the cheapest may be just what lets outsiders in, which has its own button
  const other = fix?.changes.length && keys(fix.changes) !== keys(withdrawable) ? fix : undefined;
  return (
    <div className="mt-3 flex flex-col gap-2">
      {steward && other && (
        <button
          className={`btn h-auto w-full flex-col items-start gap-0 py-1.5 text-left ${left.length && !other.members ? 'btn-primary' : ''}`}
          aria-pressed={other.changes.every(tray)}
          disabled={pickUp.isPending || other.changes.every(tray)}
          onClick={() => pickUp.mutate(other.changes)}
        >
          <span>
            {other.changes.every(tray) ? 'In the tray: ' : 'Pick up the cheapest: '}
            {other.words}
          </span>
          <span className="text-xs font-normal">{fixCost(other, row.points)}</span>
        </button>
      )}
      {steward && left.length > 0 && (
        <button
          className={`btn btn-sm w-full ${other && !other.members ? '' : 'btn-primary'}`}
          disabled={pickUp.isPending}
          onClick={() => pickUp.mutate(left)}
        >
          Pick up: withdraw outside access ({what(left)})
        </button>
      )}
      {withdrawable.length > 0 && left.length === 0 && steward && (
        <p className="flex h-7 items-center gap-2 font-medium">
          <Check size={15} aria-hidden /> Withdrawing outside access is in the tray.
        </p>
      )}
      {withdrawable.length === 0 && mixed.length === 0 && row.kind === 'exposure' && (
        <p className="text-quiet">
          Nobody outside reaches it. What makes it too wide is listed below: pick up what should go.
        </p>
      )}
      {mixed.length > 0 && (
        <p className="text-quiet">
          {plural(mixed.length, 'route')} also {mixed.length === 1 ? 'lets' : 'let'} members in (
          {mixed.map((m) => m.to).join('; ')}), so {mixed.length === 1 ? 'it is' : 'they are'} left out: pick{' '}
          {mixed.length === 1 ? 'it' : 'them'} up below if those members can lose it.
        </p>
      )}
      <button className="btn btn-sm" onClick={() => setComposing(true)}>
        Find the least change …
      </button>
      <OptionsButton
        of={{ kind: 'item', source: dossier.source, id: dossier.item.id }}
        name="the file itself"
        small={false}
      />
      {composing && (
        <Compose
          rows={[{ source: dossier.source, item: dossier.item.id, summary: row.summary }]}
          close={() => setComposing(false)}
        />
      )}
      {pickUp.error && <Trouble error={pickUp.error} />}
    </div>
  );
}

export const what = (entries: EntryRef[]): string => {
  const links = entries.filter((e) => e.kind === 'link').length;
  const grants = entries.length - links;
  return [links && plural(links, 'link'), grants && plural(grants, 'grant')].filter(Boolean).join(', ');
};
