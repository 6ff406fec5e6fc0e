/** What a file has to hold: which data type or pack, how surely and how much, with how many files each choice would hit. */
import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { ChevronDown } from 'lucide-react';
import { useState, type ReactNode } from 'react';
import type { Condition, HoldsSettings } from '../../core/filter/rows.ts';
import { PARTS } from '../../core/model.ts';
import { PRESETS } from '../../core/recognise/threshold.ts';
import { ask } from '../frame/api.ts';
import { count } from './marks.tsx';
import { Picker } from './Picker.tsx';

type Holds = Extract<Condition, { holds: string }>;
const ANYTHING = 'anything';

export function HoldsRow({
  row,
  change,
  place,
  end,
}: {
  row: Holds;
  change: (next: Condition) => void;
  place: number;
  end: ReactNode;
}) {
  const { data: types } = useQuery(ask('/api/data-types'));
  const { data: packs } = useQuery(ask('/api/packs'));
  const { settings } = row;
  const set = (more: Partial<HoldsSettings>): void => {
    const next = Object.entries({ ...settings, ...more }).filter(([, v]) => v !== undefined);
    change({ ...row, settings: Object.fromEntries(next) });
  };
  const packName = row.holds.startsWith('pack:') && packs?.find((p) => `pack:${p.id}` === row.holds)?.name;
  const name =
    row.holds === ANYTHING
      ? 'anything at all'
      : packName || types?.rows.find((t) => t.id === row.holds)?.name || row.holds || 'choose …';
  return (
    <div className="flex flex-col gap-1">
      <div className="flex items-center gap-2">
        <select
          className="select select-sm w-40 shrink-0"
          aria-label={`Condition ${place}: whether it holds`}
          value={row.not ? 'not' : 'holds'}
          onChange={(e) => change({ ...row, not: e.target.value === 'not' })}
        >
          <option value="holds">It holds</option>
          <option value="not">It does not hold</option>
        </select>
        <Picker
          label={`What condition ${place} asks for: ${name}`}
          look="btn btn-sm min-w-0 flex-1 justify-between gap-1 px-2 font-normal"
          button={
            <>
              <span className="truncate">{name}</span>
              <ChevronDown size={12} aria-hidden className="shrink-0 text-quiet" />
            </>
          }
          choose={(holds) => change({ ...row, holds, settings: holds === ANYTHING ? {} : settings })}
          groups={[
            {
              choices: [{ value: ANYTHING, name: 'Anything at all', detail: 'every file, a blank one too' }],
            },
            {
              heading: 'Packs: any one of their data types',
              choices: (packs ?? []).map((p) => ({ value: `pack:${p.id}`, name: p.name, detail: p.about })),
            },
            {
              heading: 'Data types',
              choices: (types?.rows ?? []).map((t) => ({
                value: t.id,
                name: t.name,
                detail: t.use ? `${count(t.use.files)} files` : (t.country ?? ''),
              })),
            },
          ]}
        />
        {end}
      </div>
      {row.holds && row.holds !== ANYTHING && <Settings what={row.holds} settings={settings} set={set} />}
    </div>
  );
}

function Settings({
  what,
  settings,
  set,
}: {
  what: string;
  settings: HoldsSettings;
  set: (more: Partial<HoldsSettings>) => void;
}) {
  const { certainty, parts } = settings;
  const [by, setBy] = useState<'distinct' | 'occurrences'>(
    settings.occurrences !== undefined && settings.distinct === undefined ? 'occurrences' : 'distinct',
  );
  const { data } = useQuery({
    ...ask('/api/policies/holding', {
      what,
      certainty: typeof certainty === 'number' ? certainty : undefined,
      parts: parts?.join(','),
    }),
    placeholderData: keepPreviousData,
    retry: false,
  });
  const asked = typeof certainty === 'string' ? PRESETS[certainty as keyof typeof PRESETS] : certainty;
  const chosen = { certainty: asked ?? data?.own, n: settings[by] ?? 1 };
  const presetOf = (c: number): string | undefined =>
    Object.entries(PRESETS).find(([, from]) => from === c)?.[0];
  /** A certainty as it is written: what counts for the type is not said. */
  const written = (c: number): HoldsSettings['certainty'] =>
    c === data?.own ? undefined : (presetOf(c) ?? c);
  return (
    <div className="ml-2 border-l border-base-300 pl-2.5">
      {data && (
        <table className="text-right tabular-nums">
          <caption className="pb-0.5 text-left text-xs text-quiet">
            Files that hold it, by how sure a match is and by{' '}
            <select
              className="select select-xs w-40 align-baseline"
              aria-label="Count by"
              value={by}
              onChange={(e) => setBy(e.target.value as typeof by)}
            >
              <option value="distinct">different values</option>
              <option value="occurrences">occurrences</option>
            </select>
          </caption>
          <thead>
            <tr className="text-quiet">
              <th className="pr-3 text-left font-normal">Certainty</th>
              {data.numbers.map((n) => (
                <th key={n} className="w-16 px-1 font-normal">
                  {n === 1 ? 'any' : `≥ ${n}`}
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {data.rows.map((r) => (
              <tr key={r.certainty}>
                <th className="whitespace-nowrap pr-3 text-left font-normal">
                  {presetOf(r.certainty) ?? 'from'} {r.certainty}
                  {r.certainty === data.own && <span className="text-quiet"> as usual</span>}
                </th>
                {r[by].map((files, k) => {
                  const n = data.numbers[k]!;
                  const is = r.certainty === chosen.certainty && n === chosen.n;
                  return (
                    <td key={n} className="p-0">
                      <button
                        type="button"
                        aria-pressed={is}
                        aria-label={`${count(files)} files from certainty ${r.certainty} with at least ${n} ${by === 'distinct' ? 'different values' : 'occurrences'}`}
                        className={`min-h-6 w-full cursor-pointer rounded px-1 text-right hover:bg-base-300 ${is ? 'bg-base-300 font-bold' : ''}`}
                        onClick={() =>
                          set({ certainty: written(r.certainty), [by]: n === 1 ? undefined : n })
                        }
                      >
                        {count(files)}
                      </button>
                    </td>
                  );
                })}
              </tr>
            ))}
          </tbody>
        </table>
      )}
      <div className="flex flex-wrap items-center gap-x-3 gap-y-1 pt-1 text-xs">
        <label className="flex items-center gap-1.5">
          certainty from
          <input
            className="input input-xs w-16"
            type="number"
            min={0}
            max={100}
            value={asked ?? ''}
            placeholder={data?.own ? String(data.own) : 'usual'}
            onChange={(e) =>
              set({ certainty: e.target.value === '' ? undefined : written(Number(e.target.value)) })
            }
          />
        </label>
        {(['distinct', 'occurrences'] as const).map((k) => (
          <label key={k} className="flex items-center gap-1.5">
            at least
            <input
              className="input input-xs w-16"
              type="number"
              min={1}
              value={settings[k] ?? ''}
              placeholder="1"
              onChange={(e) => set({ [k]: e.target.value === '' ? undefined : Number(e.target.value) })}
            />
            {k === 'distinct' ? 'different values' : 'occurrences'}
          </label>
        ))}
        <span className="flex items-center gap-2" role="group" aria-label="In which parts">
          in
          {PARTS.map((p) => (
            <label key={p} className="flex min-h-6 cursor-pointer items-center gap-1">
              <input
                type="checkbox"
                className="checkbox checkbox-xs"
                checked={parts?.includes(p) ?? true}
                onChange={(e) => {
                  const next = PARTS.filter((x) =>
                    x === p ? e.target.checked : (parts?.includes(x) ?? true),
                  );
                  set({ parts: next.length === PARTS.length || !next.length ? undefined : next });
                }}
              />
              {p}
            </label>
          ))}
        </span>
      </div>
    </div>
  );
}
