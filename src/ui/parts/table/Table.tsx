/**
 * A dense table with a sticky header and virtual rows, walked through by keyboard. Its columns can be hidden,
 * reordered, resized and pinned; what was set stands in the address.
 */
import {
  closestCenter,
  DndContext,
  PointerSensor,
  useSensor,
  useSensors,
  type DragEndEvent,
} from '@dnd-kit/core';
import { arrayMove, horizontalListSortingStrategy, SortableContext, useSortable } from '@dnd-kit/sortable';
import { useVirtualizer } from '@tanstack/react-virtual';
import { ArrowDown } from 'lucide-react';
import {
  useEffect,
  useLayoutEffect,
  useMemo,
  useRef,
  useState,
  type ClipboardEvent,
  type KeyboardEvent,
  type ReactNode,
} from 'react';
import { flushSync } from 'react-dom';
import { downFirst, type Sort } from '../../../core/sorts.ts';
import { meaningOf, Term } from '../Term.tsx';
import { ColumnsMenu } from './ColumnsMenu.tsx';
import type { Column } from './column.ts';
import { heightOf, leastOf } from './layout.ts';
import { pressed } from './inUrl.ts';
import { sortRows } from './sort.ts';
import { useLayout } from './useLayout.ts';

interface TableProps<Row> {
  label: string;
  columns: Column<Row>[];
  rows: Row[];
  rowKey: (row: Row) => string | number;
  selected?: string | number | undefined;
  onSelect?: (row: Row | undefined) => void;
  /** Rows are ordered by whoever asks for them, by these keys; absent where they are sorted here. */
  sorting?: readonly Sort[];
  onSort?: (sorting: Sort[]) => void;
  /** Keys beside those for moving, such as `p`. */
  onKey?: (key: string, row: Row) => void;
  /** Rows that are marked, to do something with all of them; `x` marks the selected one. */
  marked?: ReadonlySet<string | number>;
  onMark?: (keys: (string | number)[], on: boolean) => void;
  /** Called when the end comes into sight. */
  onEnd?: () => void;
  rowHeight?: number;
  /** The parameter of the address in which the layout stands: another for a second table on a page. */
  layoutIn?: string;
}

/** More rows than this are better exported as a file. */
const PRINTED = 5000;
/** What the marks take, in pixels. */
const MARKS = 36;

export function Table<Row>({
  label,
  columns: declared,
  rows: unsorted,
  rowKey,
  selected,
  onSelect,
  sorting: given,
  onSort,
  onKey,
  onEnd,
  marked,
  onMark,
  rowHeight: base = 32,
  layoutIn = 'cols',
}: TableProps<Row>) {
  const layout = useLayout(declared, layoutIn);
  const byKey = new Map(declared.map((c) => [c.key, c]));
  const pinnedKeys = layout.columns.getLeftLeafColumns().map((c) => c.id);
  const shown = [
    ...layout.columns.getLeftVisibleLeafColumns(),
    ...layout.columns.getCenterVisibleLeafColumns(),
  ].map((c) => byKey.get(c.id)!);
  const widths = layout.columns.getState().columnSizing;
  const trackOf = (c: Column<Row>): string => (widths[c.key] ? `${widths[c.key]}px` : c.width);

  // sorted here where nobody else orders the rows
  const [keys, setKeys] = useState<Sort[]>([]);
  const here = given === undefined;
  const sorting = given ?? keys;
  const rows = useMemo(() => {
    const by = here
      ? keys.flatMap(({ key, down }) => {
          const value = declared.find((c) => c.key === key)?.value;
          return value ? [{ value, down }] : [];
        })
      : [];
    return by.length ? sortRows(unsorted, by) : unsorted;
    // eslint-disable-next-line react-hooks/exhaustive-deps -- columns are declared anew at each drawing
  }, [unsorted, keys, here]);
  const sortedBy = (key: string): { up: boolean; place: number } | undefined => {
    const place = sorting.findIndex((k) => k.key === key);
    return place < 0 ? undefined : { up: !sorting[place]!.down, place: sorting.length > 1 ? place + 1 : 0 };
  };
  const sortBy = (key: string, more: boolean): void => {
    (onSort ?? setKeys)(pressed(sorting, key, more, !here && downFirst(key)));
  };

  /** From here on Shift marks. */
  const anchor = useRef(-1);
  const scroller = useRef<HTMLDivElement>(null);
  const header = useRef<HTMLDivElement>(null);
  const rowHeight = heightOf(base, layout.density);
  const virtual = useVirtualizer({
    count: rows.length,
    getScrollElement: () => scroller.current,
    estimateSize: () => rowHeight,
    overscan: 6,
    initialRect: { width: 800, height: 600 },
  });
  useEffect(() => virtual.measure(), [rowHeight, virtual]);
  const template = [...(onMark ? [`${MARKS}px`] : []), ...shown.map(trackOf)].join(' ');
  const least = shown.reduce((n, c) => n + leastOf(trackOf(c)), onMark ? MARKS : 0);
  // where each pinned column stands, as wide as those before it are drawn
  const [lefts, setLefts] = useState<number[]>([]);
  const pinnedShown = shown.filter((c) => pinnedKeys.includes(c.key)).length;
  // eslint-disable-next-line react-hooks/exhaustive-deps -- after every drawing: any may make a column wider
  useLayoutEffect(() => {
    const cells = header.current?.querySelectorAll<HTMLElement>('[data-column]') ?? [];
    let left = onMark ? MARKS : 0;
    const next = Array.from(cells)
      .slice(0, pinnedShown)
      .map((cell) => {
        const at = left;
        left += cell.offsetWidth;
        return at;
      });
    if (next.join() !== lefts.join()) setLefts(next);
  });
  const at = useMemo(() => rows.findIndex((r) => rowKey(r) === selected), [rows, selected]); // eslint-disable-line react-hooks/exhaustive-deps
  const allMarked = useMemo(
    () => !!onMark && rows.length > 0 && rows.every((r) => marked?.has(rowKey(r))),
    [rows, marked], // eslint-disable-line react-hooks/exhaustive-deps
  );
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

  /** Marked rows, else the selected one, else all that are loaded, with tabs between their cells. */
  const asText = (): string => {
    const chosen = marked?.size ? rows.filter((r) => marked.has(rowKey(r))) : at >= 0 ? [rows[at]!] : rows;
    const text = (c: Column<Row>, row: Row): string => {
      const v = c.value ? c.value(row) : (row as Record<string, unknown>)[c.key];
      return typeof v === 'string' || typeof v === 'number' || typeof v === 'boolean'
        ? String(v).replace(/[\t\r\n]+/g, ' ')
        : '';
    };
    const named = shown.filter((c) => c.name !== '');
    return [named.map((c) => c.name), ...chosen.map((r) => named.map((c) => text(c, r)))]
      .map((cells) => cells.join('\t'))
      .join('\n');
  };
  const onCopy = (e: ClipboardEvent) => {
    // text that somebody selected is theirs to copy
    if (getSelection()?.toString() || e.target instanceof HTMLInputElement) return;
    e.preventDefault();
    e.clipboardData.setData('text/plain', asText());
  };

  const onKeys = (e: KeyboardEvent) => {
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
    // the buttons of the header have keys of their own
    if (e.target instanceof Element && e.target.closest('[role=columnheader]')) return;
    if (move !== undefined && rows.length) {
      e.preventDefault();
      onSelect?.(rows[Math.max(0, Math.min(rows.length - 1, at < 0 ? 0 : at + move))]);
    } else if (e.key === 'x' && onMark && at >= 0)
      onMark([rowKey(rows[at]!)], !marked?.has(rowKey(rows[at]!)));
    else if (e.key === 'Escape') onSelect?.(undefined);
    else if (at >= 0 && onKey) {
      // a letter is not typed into what it opens
      if (e.key.length === 1) e.preventDefault();
      onKey(e.key, rows[at]!);
    }
  };
  const sensors = useSensors(useSensor(PointerSensor, { activationConstraint: { distance: 6 } }));
  const onDragEnd = ({ active, over }: DragEndEvent): void => {
    if (!over || active.id === over.id) return;
    const order = layout.columns.getAllLeafColumns().map((c) => c.id);
    layout.columns.setColumnOrder(
      arrayMove(order, order.indexOf(String(active.id)), order.indexOf(String(over.id))),
    );
  };
  const grid = { display: 'grid', gridTemplateColumns: template };
  /** Puts what pins a cell on it; the page's policy allows no style attributes. */
  const pin = (n: number) => (el: HTMLElement | null) =>
    void (el && Object.assign(el.style, { left: n < pinnedShown ? `${lefts[n] ?? 0}px` : '' }));
  const pinned = (n: number): string => (n < pinnedShown ? 'sticky z-[1] bg-inherit' : '');
  const names = new Map(declared.map((c) => [c.key, c.name]));
  return (
    // around the grid: what it says to those who cannot see is no part of the grid
    <DndContext sensors={sensors} collisionDetection={closestCenter} onDragEnd={onDragEnd}>
      <div className="relative h-full">
        <div
          ref={scroller}
          className="h-full overflow-auto"
          tabIndex={0}
          role="grid"
          aria-label={label}
          aria-rowcount={rows.length + 1}
          onKeyDown={onKeys}
          onCopy={onCopy}
          aria-activedescendant={at >= 0 ? `row-${String(selected)}` : undefined}
        >
          <div ref={(el) => void (el && (el.style.minWidth = `max(100%, ${least}px)`))}>
            <SortableContext items={shown.map((c) => c.key)} strategy={horizontalListSortingStrategy}>
              <div
                role="row"
                aria-rowindex={1}
                className="sticky top-0 z-10 border-b border-slate bg-base-100"
                ref={(el) => {
                  header.current = el;
                  if (el) Object.assign(el.style, grid);
                }}
              >
                {onMark && (
                  <div role="columnheader" className="sticky left-0 z-[2] flex items-center bg-inherit pl-3">
                    <input
                      type="checkbox"
                      className="checkbox checkbox-xs"
                      aria-label="Select all shown"
                      checked={allMarked}
                      onChange={(e) => onMark(rows.map(rowKey), e.target.checked)}
                    />
                  </div>
                )}
                {shown.map((c, n) => {
                  const sorted = sortedBy(c.key);
                  const sorts = here ? c.value !== undefined : c.sorts && onSort;
                  const column = layout.columns.getColumn(c.key)!;
                  const resize = layout.columns
                    .getFlatHeaders()
                    .find((h) => h.column.id === c.key)
                    ?.getResizeHandler();
                  return (
                    <HeaderCell
                      key={c.key}
                      id={c.key}
                      pin={pin(n)}
                      look={`${pinned(n)} ${c.right ? 'justify-end' : ''} ${n === shown.length - 1 ? 'pr-9!' : ''}`}
                      sorted={sorted && (sorted.up ? 'ascending' : 'descending')}
                      onResize={(e) => {
                        // from the width it is drawn with, which may be a share of the page
                        const drawn = (e.currentTarget.parentElement as HTMLElement).offsetWidth;
                        if (!widths[c.key]) column.columnDef.size = drawn;
                        resize?.(e.nativeEvent);
                      }}
                    >
                      <Term of={c.name}>
                        {sorts ? (
                          <button
                            className="flex min-w-0 cursor-pointer items-center gap-1 hover:text-base-content"
                            title={meaningOf(c.name) ? undefined : 'Sort; with Shift, sort by this too'}
                            onClick={(e) => sortBy(c.key, e.shiftKey)}
                          >
                            <span className="truncate">{c.name}</span>{' '}
                            {sorted && (
                              <ArrowDown
                                size={12}
                                aria-label="sorted"
                                className={`shrink-0 ${sorted.up ? 'rotate-180' : ''}`}
                              />
                            )}
                            {sorted && sorted.place > 0 && <sup>{sorted.place}</sup>}
                          </button>
                        ) : (
                          <span className="truncate">{c.name}</span>
                        )}
                      </Term>
                    </HeaderCell>
                  );
                })}
              </div>
            </SortableContext>
            <div
              className="relative"
              ref={(el) => void (el && (el.style.height = `${virtual.getTotalSize()}px`))}
            >
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
                    className={`absolute inset-x-0 top-0 border-b border-base-300 ${onSelect ? 'cursor-pointer' : ''} ${k === selected ? 'bg-base-300' : 'bg-base-100 hover:bg-base-200'}`}
                  >
                    {onMark && (
                      <div
                        role="gridcell"
                        className="sticky left-0 z-[1] flex items-center bg-inherit pl-3"
                        onClick={(e) => e.stopPropagation()}
                      >
                        <input
                          type="checkbox"
                          className="checkbox checkbox-xs"
                          aria-label="Select"
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
                    {shown.map((c, n) => (
                      <div
                        key={c.key}
                        role="gridcell"
                        ref={pin(n)}
                        className={`flex min-w-0 items-center overflow-hidden px-3 ${pinned(n)} ${c.right ? 'justify-end' : ''}`}
                      >
                        {c.cell(row)}
                      </div>
                    ))}
                  </div>
                );
              })}
            </div>
          </div>
        </div>
        <div className="absolute right-3 top-1 z-20 rounded bg-base-100">
          <ColumnsMenu
            layout={layout}
            names={names}
            widthOf={(key) =>
              header.current?.querySelector<HTMLElement>(`[data-column="${key}"]`)?.offsetWidth ?? 120
            }
            copy={() => void navigator.clipboard.writeText(asText())}
          />
        </div>
      </div>
    </DndContext>
  );
}

/** A header's cell: dragged to another place by its name, and wider by its edge. */
function HeaderCell({
  id,
  pin,
  look,
  sorted,
  onResize,
  children,
}: {
  id: string;
  pin: (el: HTMLElement | null) => void;
  look: string;
  sorted: 'ascending' | 'descending' | undefined;
  onResize: (e: React.PointerEvent<HTMLElement> | React.MouseEvent<HTMLElement>) => void;
  children: ReactNode;
}) {
  const { setNodeRef, listeners, transform, isDragging } = useSortable({ id });
  return (
    <div
      role="columnheader"
      aria-sort={sorted}
      data-column={id}
      ref={(el) => {
        setNodeRef(el);
        pin(el);
        if (el) el.style.transform = transform ? `translateX(${transform.x}px)` : '';
      }}
      className={`group relative flex h-8 min-w-0 items-center px-3 text-xs font-semibold text-quiet ${look} ${isDragging ? 'z-[3] bg-base-200 shadow' : ''}`}
    >
      <span className="flex min-w-0" {...listeners}>
        {children}
      </span>
      <span
        aria-hidden
        className="absolute inset-y-1 right-0 w-1.5 cursor-col-resize touch-none border-r border-transparent group-hover:border-slate"
        onMouseDown={onResize}
      />
    </div>
  );
}
