/** A table's columns as the user has set them: TanStack Table keeps the state, the address keeps it for good. */
import {
  getCoreRowModel,
  useReactTable,
  type ColumnDef,
  type Table as Columns,
  type Updater,
} from '@tanstack/react-table';
import { useUrl } from '../../frame/url.ts';
import type { Column } from './column.ts';
import { NARROWEST, readLayout, WIDEST, writeLayout, type Density, type Layout } from './layout.ts';

/** Rows are drawn by the table itself: only the columns are kept here. */
const NO_ROWS: never[] = [];

export interface TableLayout<Row> {
  /** TanStack's table over the columns: their order, visibility, pinning and sizes. */
  columns: Columns<Row>;
  density: Density;
  setDensity: (density: Density) => void;
  /** Back to how the table is declared; undefined where it is so. */
  reset: (() => void) | undefined;
}

const ask = <T>(updater: Updater<T>, old: T): T =>
  typeof updater === 'function' ? (updater as (old: T) => T)(old) : updater;

/** `name`: the parameter of the address in which the layout stands. */
export function useLayout<Row>(declared: readonly Column<Row>[], name: string): TableLayout<Row> {
  const [params, set] = useUrl('');
  const text = params.get(name);
  const keys = declared.map((c) => c.key);
  const pinned = keys.slice(0, 1);
  const layout = readLayout(text, keys, pinned);
  const keep = (next: Partial<Layout>): void =>
    set({ [name]: writeLayout({ ...layout, ...next }, keys, pinned) });

  const defs = declared.map((c): ColumnDef<Row> => ({
    id: c.key,
    header: c.name,
    minSize: NARROWEST,
    maxSize: WIDEST,
    enableHiding: c.key !== keys[0],
  }));
  const visibility = Object.fromEntries(layout.hidden.map((k) => [k, false]));
  const columns = useReactTable<Row>({
    data: NO_ROWS,
    columns: defs,
    getCoreRowModel: getCoreRowModel(),
    columnResizeMode: 'onEnd',
    state: {
      columnOrder: layout.order,
      columnVisibility: visibility,
      columnPinning: { left: layout.order.filter((k) => layout.pinned.includes(k)) },
      columnSizing: layout.widths,
    },
    onColumnOrderChange: (u) => keep({ order: ask(u, layout.order) }),
    onColumnVisibilityChange: (u) => {
      const next = ask(u, visibility);
      keep({ hidden: keys.filter((k) => next[k] === false) });
    },
    onColumnPinningChange: (u) => keep({ pinned: ask(u, { left: layout.pinned }).left ?? [] }),
    onColumnSizingChange: (u) => keep({ widths: ask(u, layout.widths) }),
  });
  return {
    columns,
    density: layout.density,
    setDensity: (density) => keep({ density }),
    reset: text === null ? undefined : () => set({ [name]: undefined }),
  };
}
