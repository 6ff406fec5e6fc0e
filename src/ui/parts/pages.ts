/** A table's rows from the API, page by page as one comes to the end of them. */
import { keepPreviousData, useInfiniteQuery } from '@tanstack/react-query';
import { useCallback } from 'react';
import { api, withQuery } from '../frame/api.ts';

/** `params`: what the rows depend on; `size`: rows a page. `more` fetches the next page, where there is one. */
export function usePages<Page extends { rows: unknown[]; total: number }>(
  name: string,
  path: string,
  params: Record<string, string | number | undefined>,
  size: number,
  enabled = true,
) {
  const query = useInfiniteQuery({
    queryKey: [name, params],
    enabled,
    queryFn: ({ pageParam }) =>
      api<Page>('GET', withQuery(path, { ...params, limit: size, offset: pageParam })),
    initialPageParam: 0,
    getNextPageParam: (_, pages) => (pages.length * size < pages[0]!.total ? pages.length * size : undefined),
    placeholderData: keepPreviousData,
  });
  const more = useCallback(() => {
    if (query.hasNextPage && !query.isFetchingNextPage) void query.fetchNextPage();
  }, [query]);
  const rows: Page['rows'][number][] = query.data?.pages.flatMap((p) => p.rows) ?? [];
  return { query, first: query.data?.pages[0], rows, more };
}
