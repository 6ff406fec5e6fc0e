import { useCallback, useEffect, useState } from 'react';

const CHANGED = 'gl-url';

/** Parameters of the scope: they stay as one moves between views. */
const SCOPE = ['space', 'ws', 'asof'];

/** A view's path with the scope of the page one is on. */
export function inScope(path: string, params: URLSearchParams): string {
  const q = new URLSearchParams();
  for (const k of SCOPE) if (params.get(k)) q.set(k, params.get(k)!);
  return q.size ? `${path}?${q}` : path;
}

/** The page's query parameters as state, so that any screen can be sent to a colleague. */
export function useUrl(
  initial: string,
): [URLSearchParams, (change: Record<string, string | undefined>, keep?: 'push' | 'replace') => void] {
  const [search, setSearch] = useState(initial);
  useEffect(() => {
    const read = () => setSearch(location.search);
    // several parts of a screen may look at the same parameters
    read();
    addEventListener('popstate', read);
    addEventListener(CHANGED, read);
    return () => {
      removeEventListener('popstate', read);
      removeEventListener(CHANGED, read);
    };
  }, []);
  const set = useCallback(
    (change: Record<string, string | undefined>, keep: 'push' | 'replace' = 'replace') => {
      const q = new URLSearchParams(location.search);
      for (const [k, v] of Object.entries(change))
        if (v === undefined || v === '') q.delete(k);
        else q.set(k, v);
      const next = q.size ? `?${q}` : '';
      if (next === location.search) return;
      history[keep === 'push' ? 'pushState' : 'replaceState'](null, '', location.pathname + next);
      dispatchEvent(new Event(CHANGED));
    },
    [],
  );
  return [new URLSearchParams(search), set];
}

/** The survey as of which a screen is about; undefined: the present. */
export const asOfOf = (params: URLSearchParams): number | undefined =>
  /^\d{1,9}$/.test(params.get('asof') ?? '') ? Number(params.get('asof')) : undefined;

export type SetUrl = ReturnType<typeof useUrl>[1];

/** What a view is given: the address, a way to change it, and whether a dossier stands beside it. */
export interface ViewProps {
  params: URLSearchParams;
  set: SetUrl;
  narrow: boolean;
}
