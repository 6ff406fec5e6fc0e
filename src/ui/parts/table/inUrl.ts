/** What a table is ordered by and which of its rows is selected, as they stand in the address. */
import type { SetUrl } from '../../frame/url.ts';

/**
 * The order by the parameters `sort` and `down`, and how the Table takes it. `usual`: the key where none is named.
 * Orders go down but by the key `upFirst`, until the header is pressed again.
 */
export function orderIn(params: URLSearchParams, set: SetUrl, usual: string, upFirst = 'name') {
  const sort = params.get('sort') ?? usual;
  const down = params.get('down') ? params.get('down') === 'true' : sort !== upFirst;
  const onSort = (key: string): void =>
    set({ sort: key === usual ? undefined : key, down: key === sort ? String(!down) : undefined });
  return { sort, down, order: { sort, up: !down, onSort } };
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
