/** A dense table with a sticky header and virtual rows, walked through by keyboard. */
import { useVirtualizer } from '@tanstack/react-virtual';
import { ArrowDown } from 'lucide-react';
import { useEffect, useRef, useState, type KeyboardEvent, type ReactNode } from 'react';
import { flushSync } from 'react-dom';

export interface Column<Row> {
  key: string;
  name: string;
  /** A CSS grid track. */
  width: string;
  right?: boolean;
  /** The header sorts by it. */
  sorts?: boolean;
  cell(row: Row): ReactNode;
}

interface TableProps<Row> {
  label: string;
  columns: Column<Row>[];
  rows: Row[];
  rowKey: (row: Row) => string | number;
  selected?: string | number | undefined;
  onSelect?: (row: Row | undefined) => void;
  sort?: string;
  onSort?: (key: string) => void;
  /** The sort is upwards; downwards where absent. */
  up?: boolean;
  /** Keys beside those for moving, such as `p`. */
  onKey?: (key: string, row: Row) => void;
  /** Rows that are marked, to do something with all of them; `x` marks the selected one. */
  marked?: ReadonlySet<string | number>;
  onMark?: (keys: (string | number)[], on: boolean) => void;
  /** Called when the end comes into sight. */
  onEnd?: () => void;
  rowHeight?: number;
}

/** More rows than this are better taken away as a file. */
const PRINTED = 5000;

export function Table<Row>({
  label,
  columns,
  rows,
  rowKey,
  selected,
  onSelect,
  sort,
  onSort,
  up = false,
  onKey,
  onEnd,
  marked,
  onMark,
  rowHeight = 32,
}: TableProps<Row>) {
  /** From here on Shift marks. */
  const anchor = useRef(-1);
  const scroller = useRef<HTMLDivElement>(null);
  const virtual = useVirtualizer({
    count: rows.length,
    getScrollElement: () => scroller.current,
    estimateSize: () => rowHeight,
    overscan: 6,
    initialRect: { width: 800, height: 600 },
  });
  const template = [...(onMark ? ['36px'] : []), ...columns.map((c) => c.width)].join(' ');
  const at = rows.findIndex((r) => rowKey(r) === selected);
  // on paper every row is there, as far as it makes sense
  const [printing, setPrinting] = useState(false);
  useEffect(() => {
    const on = () => flushSync(() => setPrinting(true));
    const off = () => setPrinting(false);
    addEventListener('beforeprint', on);
    addEventListener('afterprint', off);
    return () => {
      removeEventListener('beforeprint', on);
      removeEventListener('afterprint', off);
    };
  }, []);
  const items = printing
    ? rows.slice(0, PRINTED).map((_, index) => ({ index, size: rowHeight, start: index * rowHeight }))
    : virtual.getVirtualItems();
  const last = items[items.length - 1]?.index ?? -1;
  useEffect(() => {
    if (last >= rows.length - 1 && rows.length) onEnd?.();
  }, [last, rows.length, onEnd]);
  useEffect(() => {
    if (at >= 0) virtual.scrollToIndex(at);
    // only when another row is selected, not when rows come in
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [selected]);

  const keys = (e: KeyboardEvent) => {
    const move = {
      ArrowDown: 1,
      j: 1,
      ArrowUp: -1,
      k: -1,
      PageDown: 15,
      PageUp: -15,
      Home: -Infinity,
      End: Infinity,
    }[e.key];
    if (e.ctrlKey || e.metaKey || e.altKey) return;
    if (move !== undefined && rows.length) {
      e.preventDefault();
      onSelect?.(rows[Math.max(0, Math.min(rows.length - 1, at < 0 ? 0 : at + move))]);
    } else if (e.key === 'x' && onMark && at >= 0)
      onMark([rowKey(rows[at]!)], !marked?.has(rowKey(rows[at]!)));
    else if (e.key === 'Escape') onSelect?.(undefined);
    else if (at >= 0 && onKey) onKey(e.key, rows[at]!);
  };
  const grid = { display: 'grid', gridTemplateColumns: template };
  return (
    <div
      ref={scroller}
      className="h-full overflow-auto"
      tabIndex={0}
      role="grid"
      aria-label={label}
      aria-rowcount={rows.length + 1}
      onKeyDown={keys}
      aria-activedescendant={at >= 0 ? `row-${String(selected)}` : undefined}
    >
      <div
        role="row"
        aria-rowindex={1}
        className="sticky top-0 z-10 border-b border-slate bg-base-100"
        ref={(el) => void (el && Object.assign(el.style, grid))}
      >
        {onMark && (
          <div role="columnheader" className="flex items-center pl-3">
            <input
              type="checkbox"
              className="checkbox checkbox-xs"
              aria-label="Mark all that are shown"
              checked={rows.length > 0 && rows.every((r) => marked?.has(rowKey(r)))}
              onChange={(e) => onMark(rows.map(rowKey), e.target.checked)}
            />
          </div>
        )}
        {columns.map((c) => (
          <div
            key={c.key}
            role="columnheader"
            aria-sort={sort === c.key ? (up ? 'ascending' : 'descending') : undefined}
            className={`flex h-8 items-center px-3 text-xs font-semibold text-quiet ${c.right ? 'justify-end' : ''}`}
          >
            {c.sorts && onSort ? (
              <button
                className="flex cursor-pointer items-center gap-1 hover:text-base-content"
                onClick={() => onSort(c.key)}
              >
                {c.name}{' '}
                {sort === c.key && (
                  <ArrowDown size={12} aria-label="sorted" className={up ? 'rotate-180' : ''} />
                )}
              </button>
            ) : (
              c.name
            )}
          </div>
        ))}
      </div>
      <div className="relative" ref={(el) => void (el && (el.style.height = `${virtual.getTotalSize()}px`))}>
        {items.map((v) => {
          const row = rows[v.index]!;
          const k = rowKey(row);
          return (
            <div
              key={k}
              id={`row-${k}`}
              role="row"
              aria-rowindex={v.index + 2}
              aria-selected={k === selected}
              onClick={() => onSelect?.(row)}
              ref={(el) =>
                void (
                  el &&
                  Object.assign(el.style, grid, {
                    height: `${v.size}px`,
                    transform: `translateY(${v.start}px)`,
                  })
                )
              }
              className={`absolute inset-x-0 top-0 border-b border-base-300 ${onSelect ? 'cursor-pointer' : ''} ${k === selected ? 'bg-base-300' : 'hover:bg-base-200'}`}
            >
              {onMark && (
                <div role="gridcell" className="flex items-center pl-3" onClick={(e) => e.stopPropagation()}>
                  <input
                    type="checkbox"
                    className="checkbox checkbox-xs"
                    aria-label="Mark"
                    tabIndex={-1}
                    checked={marked?.has(k) ?? false}
                    onChange={() => undefined}
                    onClick={(e) => {
                      const on = !marked?.has(k);
                      const [a, b] =
                        e.shiftKey && anchor.current >= 0
                          ? [Math.min(anchor.current, v.index), Math.max(anchor.current, v.index)]
                          : [v.index, v.index];
                      anchor.current = v.index;
                      onMark(rows.slice(a, b + 1).map(rowKey), on);
                    }}
                  />
                </div>
              )}
              {columns.map((c) => (
                <div
                  key={c.key}
                  role="gridcell"
                  className={`flex min-w-0 items-center overflow-hidden px-3 ${c.right ? 'justify-end' : ''}`}
                >
                  {c.cell(row)}
                </div>
              ))}
            </div>
          );
        })}
      </div>
    </div>
  );
}
