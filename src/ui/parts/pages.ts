/** A table's rows from the API, page by page as one comes to the end of them. */
import { keepPreviousData, useInfiniteQuery } from '@tanstack/react-query';
import { useCallback } from 'react';
import { get, type Answer, type QueryOf } from '../frame/api.ts';
import type { Endpoints } from '../frame/endpoints.ts';

interface Paged {
  rows: unknown[];
  /** Absent where rows are not counted: then there is a next page as long as pages are full. */
  total?: number;
}
/** Paths that answer with rows, a page at a time. */
type PagedPath = {
  [P in keyof Endpoints]: Answer<'GET', P> extends Paged
    ? 'offset' extends keyof QueryOf<P>
      ? P
      : never
    : never;
}[keyof Endpoints];

/** `params`: what the rows depend on; `size`: rows a page. `more` fetches the next page, where there is one. */
export function usePages<P extends PagedPath>(path: P, params: QueryOf<P>, size: number, enabled = true) {
  type Page = Answer<'GET', P> & Paged;
  const query = useInfiniteQuery({
    queryKey: [path, params],
    enabled,
    queryFn: ({ pageParam }) =>
      get(path as never, { ...params, limit: size, offset: pageParam } as never) as Promise<Page>,
    initialPageParam: 0,
    getNextPageParam: (last, pages) =>
      (last.total === undefined ? last.rows.length === size : pages.length * size < pages[0]!.total!)
        ? pages.length * size
        : undefined,
    placeholderData: keepPreviousData,
  });
  const more = useCallback(() => {
    if (query.hasNextPage && !query.isFetchingNextPage) void query.fetchNextPage();
  }, [query]);
  const rows = (query.data?.pages.flatMap((p) => p.rows) ?? []) as Page['rows'][number][];
  return { query, first: query.data?.pages[0], rows, more };
}
