/** What each workspace signs or asks with: made, told once, and ended. */
import { useMutation } from '@tanstack/react-query';
import { useState, type ReactNode } from 'react';
import { useRefresh, useSigned } from '../frame/signed.ts';
import { Trouble } from './marks.tsx';

export function SourceSecrets({
  rows,
  called,
  make: ask,
  end: stop,
}: {
  /** `has`: it has one. `said`: what is to be known of it. */
  rows: readonly { source: string; name: string; has: boolean; said: ReactNode }[];
  called: 'token' | 'secret';
  /** Resolves with the new one. */
  make: (source: string) => Promise<string>;
  end: (source: string) => Promise<unknown>;
}) {
  const { steward } = useSigned();
  const refresh = useRefresh();
  const [made, setMade] = useState<{ source: string; text: string }>();
  const make = useMutation({
    mutationFn: ask,
    onSuccess: (text, source) => {
      setMade({ source, text });
      refresh();
    },
  });
  const end = useMutation({ mutationFn: stop, onSuccess: refresh });
  return (
    <>
      {[make.error, end.error].map((e, n) => e && <Trouble key={n} error={e} />)}
      <ul className="border-t border-base-300">
        {rows.map(({ source, name, has, said }) => (
          <li key={source} className="flex items-start gap-3 border-b border-base-300 py-1.5">
            <span className="min-w-0 flex-1">
              <b>{name}</b> <span className="text-quiet">{said}</span>
              {made?.source === source && (
                <span className="mt-1 flex items-center gap-2">
                  <input
                    className="input input-sm w-80 font-mono text-xs"
                    readOnly
                    aria-label={`The ${called}`}
                    value={made.text}
                    onFocus={(e) => e.target.select()}
                  />
                  <span className="text-quiet">It is shown this once.</span>
                </span>
              )}
            </span>
            {steward && (
              <button className="btn btn-sm" disabled={make.isPending} onClick={() => make.mutate(source)}>
                {has ? `New ${called}` : `Make a ${called}`}
              </button>
            )}
            {steward && has && (
              <button
                className="btn btn-sm btn-ghost"
                disabled={end.isPending}
                onClick={() => end.mutate(source)}
              >
                End
              </button>
            )}
          </li>
        ))}
      </ul>
    </>
  );
}
