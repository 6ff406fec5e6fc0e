/** What a table is ordered by and which of its rows is selected, as they stand in the address. */
import { readSorts, writeSorts, type Sort } from '../../../core/sorts.ts';
import type { SetUrl } from '../../frame/url.ts';

/** The order by the parameter `sort`, as the API takes it and as the Table does. `usual`: where none is named. */
export function orderIn(params: URLSearchParams, set: SetUrl, usual: string, name = 'sort') {
  const keysOf = (text: string): Sort[] => readSorts(text, text.match(/\w+(?=[.,]|$)/g) ?? []) ?? [];
  const sorting = keysOf(params.get(name) ?? usual);
  const sort = writeSorts(sorting);
  const onSort = (next: Sort[]): void =>
    set({ [name]: writeSorts(next) === writeSorts(keysOf(usual)) ? undefined : writeSorts(next) });
  return { sort, order: { sorting, onSort } };
}

/** The order after a header is pressed: by its column, or the other way; with `more`, after the others. */
export function pressed(sorting: readonly Sort[], key: string, more: boolean, down: boolean): Sort[] {
  const known = sorting.find((s) => s.key === key);
  const next = { key, down: known ? !known.down : down };
  if (!more) return [next];
  return known ? sorting.map((s) => (s === known ? next : s)) : [...sorting, next];
}

/** The selected row by a parameter, which holds its key. */
export const selectIn = <Row>(
  params: URLSearchParams,
  set: SetUrl,
  name: string,
  rowKey: (row: Row) => string,
) => ({
  rowKey,
  selected: params.get(name) ?? undefined,
  onSelect: (row: Row | undefined): void => set({ [name]: row && rowKey(row) }, 'push'),
});

/** The same of rows that have numbers. */
export const selectNumberIn = <Row>(
  params: URLSearchParams,
  set: SetUrl,
  name: string,
  rowKey: (row: Row) => number,
) => ({
  rowKey,
  selected: params.get(name) ? Number(params.get(name)) : undefined,
  onSelect: (row: Row | undefined): void => set({ [name]: row && String(rowKey(row)) }, 'push'),
});
