/** From which certainty matches usually count, with the effect on our own content; and whether pictures are read. */
import { useMutation, useQueries, useQuery } from '@tanstack/react-query';
import { PRESETS, type Preset } from '../../../core/recognise/threshold.ts';
import type { ContentsPage } from '../../../dto/contents.ts';
import { ask, send } from '../../frame/api.ts';
import { count, plural, Trouble } from '../../parts/marks.tsx';
import { useRefresh, useSigned } from '../../frame/signed.ts';

const ABOUT: Record<Preset, string> = {
  wide: 'Misses the least and is wrong the most: for a first look.',
  balanced: 'What it finds is nearly always right; values with no telling word nearby may be missed.',
  strict: 'Only matches whose check digits, form and surrounding words agree: for automatic rules.',
};
const NAME: Record<Preset, string> = { wide: 'Wide', balanced: 'Balanced', strict: 'Strict' };

export function WhatCounts({ open }: { open: (type: string) => void }) {
  const { steward } = useSigned();
  const refresh = useRefresh();
  const types = useQuery(ask('/api/data-types'));
  const presets = Object.entries(PRESETS) as [Preset, number][];
  const held = useQueries({
    queries: [undefined, ...presets.map(([, certainty]) => certainty)].map((certainty) =>
      ask('/api/contents', { certainty }),
    ),
  });
  const set = useMutation({
    mutationFn: (certainty: number) => send('PUT', '/api/data-types/certainty', { type: null, certainty }),
    onSuccess: refresh,
  });
  const pictures = useMutation({
    mutationFn: (read: boolean) => send('PUT', '/api/data-types/pictures', { read }),
    onSuccess: refresh,
  });
  const now = held[0]!.data;
  const own = types.data?.rows.filter((r) => r.ownCertainty) ?? [];
  const occurrences = (page: ContentsPage): number => page.rows.reduce((n, r) => n + r.occurrences, 0);
  return (
    <div className="h-full max-w-4xl overflow-auto p-4" tabIndex={0} aria-label="What counts">
      {[types, set, pictures].map((q, i) => q.error && <Trouble key={i} error={q.error} />)}
      <h2 className="text-base font-bold">From which certainty a match usually counts</h2>
      <p className="mb-3 text-quiet">
        What counts gives files their weight, and so makes findings. Changes take effect at once; no file is
        read again.
      </p>
      <table className="w-full">
        <thead>
          <tr className="border-b border-slate text-xs text-quiet">
            <th className="py-1 text-left font-semibold">Preset</th>
            <th className="pl-6 text-right font-semibold">Files</th>
            <th className="pl-6 text-right font-semibold">Occurrences</th>
            <th className="pl-6 text-right font-semibold">Change</th>
            <th className="w-40" />
          </tr>
        </thead>
        <tbody>
          {presets.map(([preset, certainty], i) => {
            const page = held[i + 1]!.data;
            const is = types.data?.usual === certainty;
            const more = page && now ? page.files - now.files : 0;
            return (
              <tr key={preset} className="border-b border-base-300 align-top">
                <td className="py-2 pr-6">
                  <b>
                    {NAME[preset]} ({certainty})
                  </b>
                  <span className="block text-quiet">{ABOUT[preset]}</span>
                </td>
                <td className="py-2 pl-6 text-right">{page?.files.toLocaleString('en') ?? '…'}</td>
                <td className="py-2 pl-6 text-right">{page ? count(occurrences(page)) : '…'}</td>
                <td className="py-2 pl-6 text-right whitespace-nowrap">
                  {page &&
                    now &&
                    (more === 0
                      ? 'the same files'
                      : `${plural(Math.abs(more), 'file')} ${more > 0 ? 'more' : 'fewer'}`)}
                </td>
                <td className="py-2 pl-6 text-right">
                  {is ? (
                    <b>as it is set</b>
                  ) : (
                    steward && (
                      <button
                        className="btn btn-sm"
                        disabled={set.isPending}
                        onClick={() => set.mutate(certainty)}
                      >
                        Count from {certainty}
                      </button>
                    )
                  )}
                </td>
              </tr>
            );
          })}
        </tbody>
      </table>
      <h2 className="mt-6 font-semibold">Data types with a certainty of their own</h2>
      {own.length === 0 ? (
        <p className="text-quiet">
          None. A data type gets one in its dossier, by a preset or by what your marks suggest.
        </p>
      ) : (
        <ul>
          {own.map((r) => (
            <li key={r.id}>
              <button
                className="cursor-pointer underline decoration-slate hover:decoration-current"
                onClick={() => open(r.id)}
              >
                {r.name}
              </button>{' '}
              from {r.from}
            </li>
          ))}
        </ul>
      )}
      <h2 className="mt-6 font-semibold">Pictures</h2>
      <label className="mt-1 flex items-center gap-2">
        <input
          type="checkbox"
          className="checkbox checkbox-sm"
          disabled={!steward || pictures.isPending || !types.data}
          checked={types.data?.pictures ?? false}
          onChange={(e) => pictures.mutate(e.target.checked)}
        />
        read the text in pictures from the next survey on (English; about a second per picture)
      </label>
    </div>
  );
}
