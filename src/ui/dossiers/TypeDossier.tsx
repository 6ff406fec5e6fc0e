/** One data type: what each certainty would find on our own content, samples to mark, how it is recognised. */
import { useMutation, useQuery } from '@tanstack/react-query';
import { Check, X } from 'lucide-react';
import { useState } from 'react';
import { PRESETS, type Preset } from '../../core/recognise/threshold.ts';
import type { TypeDetail, TypeSample } from '../../dto/recognition.ts';
import { withQuery, ask, send } from '../frame/api.ts';
import { DossierFrame, Section, type Pinning } from './Frame.tsx';
import { Sum } from '../parts/MatchedText.tsx';
import { count, plural, Trouble, Weight, When } from '../parts/marks.tsx';
import { useRefresh, useSigned } from '../frame/signed.ts';

export function TypeDossier({
  id,
  change,
  gone,
  ...pinning
}: { id: string; change: () => void; gone: () => void } & Pinning) {
  // from when it is being removed on, nothing is asked about it
  const [going, setGoing] = useState(false);
  const { data, error, refetch } = useQuery({ ...ask('/api/data-types/[id]', { id }), enabled: !going });
  return (
    <DossierFrame name="Data type" error={error} retry={() => void refetch()} {...pinning}>
      {data && <Body data={data} change={change} gone={gone} setGoing={setGoing} />}
    </DossierFrame>
  );
}

const PRESET_NAME: Record<Preset, string> = { wide: 'Wide', balanced: 'Balanced', strict: 'Strict' };
const percent = (share: number): string => `${Math.round(share * 100)} %`;

function Body({
  data,
  change,
  gone,
  setGoing,
}: {
  data: TypeDetail;
  change: () => void;
  gone: () => void;
  setGoing: (going: boolean) => void;
}) {
  const { steward } = useSigned();
  const refresh = useRefresh();
  const set = useMutation({
    mutationFn: (certainty: number | null) =>
      send('PUT', '/api/data-types/certainty', { type: data.id, certainty }),
    onSuccess: refresh,
  });
  const mark = useMutation({
    mutationFn: ({ sample: s, right }: { sample: TypeSample; right: boolean | null }) =>
      send('PUT', '/api/data-types/marks', {
        type: data.id,
        source: s.source,
        item: s.item,
        place: s.place,
        certainty: s.certainty,
        right,
      }),
    onSuccess: refresh,
  });
  const remove = useMutation({
    mutationFn: () => send('DELETE', '/api/data-types/[id]', { id: data.id }),
    onMutate: () => setGoing(true),
    onError: () => setGoing(false),
    onSuccess: () => {
      gone();
      refresh();
    },
  });
  const [sure, setSure] = useState(false);
  const use = data.use;
  const marks = data.marks.right + data.marks.wrong;
  return (
    <>
      <header className="px-4 py-3">
        <h2 className="text-base font-bold leading-snug">{data.name}</h2>
        <p className="text-quiet">
          {data.source}
          {data.changedAt && (
            <>
              , <When at={data.changedAt} />
            </>
          )}
        </p>
        <div className="mt-2 flex items-center gap-4">
          <Weight weight={data.weight} words />
          {use && (
            <a
              className="underline decoration-slate hover:decoration-current"
              href={withQuery('/exposure/contents', { type: data.id })}
            >
              {plural(use.files, 'file')}, {plural(use.occurrences, 'occurrence')}
            </a>
          )}
        </div>
        {data.custom && steward && (
          <div className="mt-3 flex gap-2">
            <button className="btn btn-sm" onClick={change}>
              Edit
            </button>
            {sure ? (
              <>
                <button className="btn btn-sm btn-error" onClick={() => remove.mutate()}>
                  Remove “{data.name}”
                </button>
                <button className="btn btn-sm btn-ghost" onClick={() => setSure(false)}>
                  Keep it
                </button>
              </>
            ) : (
              <button className="btn btn-sm btn-ghost" onClick={() => setSure(true)}>
                Remove …
              </button>
            )}
          </div>
        )}
        {data.custom && !data.active && (
          <p className="mt-2">It is switched off: surveys do not look for it.</p>
        )}
        {[set, mark, remove].map((m, i) => m.error && <Trouble key={i} error={m.error} />)}
      </header>
      <Section
        name="What would count, in your own files"
        aside={`counts from ${data.from}${data.ownCertainty ? '' : ', as usual'}`}
      >
        {use ? (
          <table className="w-full">
            <thead>
              <tr className="text-xs text-quiet">
                <th className="text-left font-semibold">From certainty</th>
                <th className="text-right font-semibold">Files</th>
                <th className="text-right font-semibold">Occurrences</th>
                <th className="text-right font-semibold">Change</th>
                <th />
              </tr>
            </thead>
            <tbody>
              {(Object.entries(PRESETS) as [Preset, number][]).map(([preset, certainty]) => {
                const at = use.presets[preset];
                const difference = at.files - use.files;
                const now = data.from === certainty;
                return (
                  <tr key={preset} className={now ? 'font-semibold' : ''}>
                    <td className="py-0.5">
                      {PRESET_NAME[preset]} ({certainty})
                    </td>
                    <td className="text-right">{count(at.files)}</td>
                    <td className="text-right">{count(at.occurrences)}</td>
                    <td className="text-right">
                      {now
                        ? 'now'
                        : difference === 0
                          ? 'the same files'
                          : `${plural(Math.abs(difference), 'file')} ${difference > 0 ? 'more' : 'fewer'}`}
                    </td>
                    <td className="w-16 text-right">
                      {steward && !now && (
                        <button
                          className="btn btn-xs"
                          aria-label={`Count from ${certainty}`}
                          disabled={set.isPending}
                          onClick={() => set.mutate(certainty)}
                        >
                          Count
                        </button>
                      )}
                    </td>
                  </tr>
                );
              })}
            </tbody>
          </table>
        ) : (
          <p className="text-quiet">
            After the first survey you will see here what each certainty would count.
          </p>
        )}
        {steward && data.ownCertainty && (
          <button className="btn btn-xs btn-ghost mt-1" onClick={() => set.mutate(null)}>
            Use the usual certainty
          </button>
        )}
      </Section>
      <Section
        name="Right or wrong?"
        aside={marks ? `marked: ${data.marks.right} right, ${data.marks.wrong} wrong` : undefined}
      >
        {data.suggestion && (
          <p className="mb-2 border-l-2 border-slate pl-2">
            Your marks suggest counting from <b>{data.suggestion.certainty}</b>: of what counts then{' '}
            {percent(data.suggestion.precision)} is right, and {percent(data.suggestion.recall)} of what is
            right counts.
            {steward && data.suggestion.certainty !== data.from && (
              <button className="btn btn-xs ml-2" onClick={() => set.mutate(data.suggestion!.certainty)}>
                Count from {data.suggestion.certainty}
              </button>
            )}
          </p>
        )}
        {data.samples.length === 0 && (
          <p className="text-quiet">
            {marks ? 'Every sample has been marked.' : 'There are no samples of it in your files.'}
          </p>
        )}
        {data.samples.length > 0 && marks === 0 && (
          <p className="mb-1 text-quiet">
            Look at a few in their files and mark which are right. After six marks, a certainty is suggested.
          </p>
        )}
        <ul>
          {data.samples.map((s) => (
            <li key={`${s.source} ${s.item} ${s.place}`} className="border-b border-base-300 py-1">
              <div className="flex items-center gap-2">
                <b className="w-7 text-right">{s.certainty}</b>
                <span className="min-w-0 flex-1 truncate" title={`${s.file}\n${s.path}`}>
                  <span className="font-mono text-xs">{s.masked}</span> in{' '}
                  <a
                    className="underline decoration-slate hover:decoration-current"
                    href={withQuery('/survey/holdings', { sel: s.key })}
                  >
                    {s.file}
                  </a>
                </span>
                {steward && (
                  <>
                    <button
                      className="btn btn-sm btn-square"
                      aria-label={`${s.masked} in ${s.file} is right`}
                      title="Right"
                      onClick={() => mark.mutate({ sample: s, right: true })}
                    >
                      <Check size={13} aria-hidden />
                    </button>
                    <button
                      className="btn btn-sm btn-square"
                      aria-label={`${s.masked} in ${s.file} is wrong`}
                      title="Wrong"
                      onClick={() => mark.mutate({ sample: s, right: false })}
                    >
                      <X size={13} aria-hidden />
                    </button>
                  </>
                )}
              </div>
              <details className="ml-9">
                <summary className="cursor-pointer text-quiet">
                  why this certainty{s.where && `: ${s.where}`}
                </summary>
                <Sum match={s} />
              </details>
            </li>
          ))}
        </ul>
      </Section>
      <Section name="How it is recognised" aside={data.packs.length ? data.packs.join(', ') : undefined}>
        {data.definition ? (
          <pre className="overflow-auto rounded bg-base-200 p-2 text-xs">
            {JSON.stringify(data.definition.match, null, 1).slice(0, 4000)}
          </pre>
        ) : (
          <>
            {data.needsContext && <p>Only with one of its words nearby, or in its column heading.</p>}
            {Object.values(data.context).some((w) => w.length > 0) && (
              <p>
                Words that raise the certainty:{' '}
                <span className="text-quiet">
                  {[...new Set(Object.values(data.context).flat())].slice(0, 30).join(', ')}
                </span>
              </p>
            )}
            {data.otherwise.length > 0 && (
              <p>
                Words that lower the certainty:{' '}
                <span className="text-quiet">{data.otherwise.slice(0, 20).join(', ')} …</span>
              </p>
            )}
            {data.examples > 0 && <p>{plural(data.examples, 'published example')} count for less.</p>}
            <details>
              <summary className="cursor-pointer text-quiet">
                {plural(data.shapes.length, 'shape')}, as patterns
              </summary>
              {data.shapes.slice(0, 12).map((s) => (
                <p key={s} className="my-1 font-mono text-xs break-all">
                  {s.slice(0, 300)}
                </p>
              ))}
            </details>
          </>
        )}
      </Section>
    </>
  );
}
