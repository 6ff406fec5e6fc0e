import { useCallback, useEffect, useState } from 'react';

/** The page's query parameters as state, so that any screen can be sent to a colleague. */
export function useUrl(
  initial: string,
): [URLSearchParams, (change: Record<string, string | undefined>, keep?: 'push' | 'replace') => void] {
  const [search, setSearch] = useState(initial);
  useEffect(() => {
    const read = () => setSearch(location.search);
    addEventListener('popstate', read);
    return () => removeEventListener('popstate', read);
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
      setSearch(next);
    },
    [],
  );
  return [new URLSearchParams(search), set];
}
