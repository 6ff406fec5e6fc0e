/** A view that is a table: over it what it is filtered by and exported as, in it the rows, or why there are none. */
import { Fragment, type ReactNode } from 'react';
import type { Filtered } from '../../../core/filter/fields.ts';
import type { TableName } from '../../../dto/tables.ts';
import { ExportMenu } from '../ExportMenu.tsx';
import { Conditions, FilterBox } from '../filter.tsx';
import { Empty, Trouble } from '../marks.tsx';
import { TabPanel } from '../Tabs.tsx';
import type { ViewProps } from '../../frame/url.ts';

interface TableViewProps<T extends TableName & Filtered> extends ViewProps {
  table: T;
  /** What its rows are asked with: the export is held to the same. */
  asked: Parameters<typeof ExportMenu<T>>[0]['query'];
  query: { error: Error | null; refetch: () => unknown };
  find: { label: string; placeholder: string; width?: string };
  title: ReactNode;
  /** What stands before the filter, and behind it. */
  before?: ReactNode;
  after?: ReactNode;
  /** What stands between the filter and the table. */
  above?: ReactNode;
  /** It lies in tabs, whose bar is its title. */
  tabs?: boolean;
  /** Parameters of the address that filter, beside `text` and `where`. */
  filters?: readonly string[];
  /** The rows are there, and there are none. */
  empty: boolean;
  /** What is said then, where nothing filters them. */
  nothing: ReactNode;
  children: ReactNode;
}

export function TableView<T extends TableName & Filtered>({
  table,
  asked,
  query,
  params,
  set,
  narrow,
  find,
  title,
  before,
  after,
  above,
  tabs,
  filters = [],
  empty,
  nothing,
  children,
}: TableViewProps<T>) {
  const where = params.get('where') ?? undefined;
  const filtering = ['text', 'where', ...filters].filter((name) => params.get(name) !== null);
  const Panel = tabs ? TabPanel : Fragment;
  return (
    <div className="flex h-full min-h-0 flex-col">
      <div className="flex flex-wrap items-center gap-x-3 gap-y-1 px-4 py-2">
        <div className="min-w-0 flex-1">{title}</div>
        {before}
        {!narrow && <ExportMenu table={table} query={asked} />}
        <FilterBox value={params.get('text') ?? undefined} set={set} {...find} table={table} where={where} />
        {after}
      </div>
      <Panel>
        <Conditions where={where} set={set} />
        {above}
        {query.error && <Trouble error={query.error} retry={() => void query.refetch()} />}
        {empty ? (
          filtering.length ? (
            <Empty
              action={
                <button
                  className="btn btn-sm"
                  onClick={() => set(Object.fromEntries(filtering.map((name) => [name, undefined])))}
                >
                  Clear filters
                </button>
              }
            >
              Nothing matches these filters.
            </Empty>
          ) : (
            <Empty>{nothing}</Empty>
          )
        ) : (
          <div className="min-h-0 flex-1 border-t border-slate">{children}</div>
        )}
      </Panel>
    </div>
  );
}
