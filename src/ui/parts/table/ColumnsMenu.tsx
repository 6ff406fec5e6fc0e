/** Which columns a table shows, in what order, pinned and how wide; how dense its rows are; and copying them. */
import { Columns3 } from 'lucide-react';
import { DropdownMenu } from 'radix-ui';
import { Menu, MenuCheck, MenuItem, MenuLine, MenuTitle } from '../Menu.tsx';
import { DENSITIES, NARROWEST, WIDEST } from './layout.ts';
import type { TableLayout } from './useLayout.ts';

/** A step of a column's width by keyboard, in pixels. */
const STEP = 40;

export function ColumnsMenu<Row>({
  layout,
  names,
  widthOf,
  copy,
}: {
  layout: TableLayout<Row>;
  names: ReadonlyMap<string, string>;
  /** A column's width as it is drawn, in pixels. */
  widthOf: (key: string) => number;
  copy: () => void;
}) {
  const { columns, density, setDensity, reset } = layout;
  const order = columns.getAllLeafColumns().map((c) => c.id);
  const move = (key: string, by: number): void => {
    const next = order.filter((k) => k !== key);
    next.splice(order.indexOf(key) + by, 0, key);
    columns.setColumnOrder(next);
  };
  const resize = (key: string, by: number): void =>
    columns.setColumnSizing((old) => ({
      ...old,
      [key]: Math.max(NARROWEST, Math.min(WIDEST, widthOf(key) + by)),
    }));
  return (
    <Menu
      label="Columns and rows"
      button={
        <button
          className="btn btn-xs btn-square btn-ghost"
          aria-label="Columns and rows"
          title="Columns and rows"
        >
          <Columns3 size={13} aria-hidden />
        </button>
      }
    >
      <MenuTitle>Columns</MenuTitle>
      {columns.getAllLeafColumns().map((c, i) => (
        <DropdownMenu.Sub key={c.id}>
          <DropdownMenu.SubTrigger className="flex cursor-pointer items-center gap-3 px-3 py-1 outline-none data-[highlighted]:bg-base-200 data-[state=open]:bg-base-200">
            <span className={`flex-1 ${c.getIsVisible() ? '' : 'text-quiet line-through'}`}>
              {names.get(c.id) || 'Actions'}
            </span>
            <span className="text-xs text-quiet">{c.getIsPinned() ? 'pinned' : ''}</span>
            <span aria-hidden>›</span>
          </DropdownMenu.SubTrigger>
          <DropdownMenu.Portal>
            <DropdownMenu.SubContent
              sideOffset={4}
              className="z-50 min-w-40 rounded border border-slate bg-base-100 py-1 shadow-lg"
            >
              {c.getCanHide() && (
                <MenuCheck on={c.getIsVisible()} set={(on) => c.toggleVisibility(on)}>
                  Show
                </MenuCheck>
              )}
              <MenuCheck on={c.getIsPinned() === 'left'} set={(on) => c.pin(on ? 'left' : false)}>
                Pin to the left
              </MenuCheck>
              <MenuItem run={() => move(c.id, -1)} disabled={i === 0}>
                Move left
              </MenuItem>
              <MenuItem run={() => move(c.id, 1)} disabled={i === order.length - 1}>
                Move right
              </MenuItem>
              <MenuItem run={() => resize(c.id, STEP)}>Wider</MenuItem>
              <MenuItem run={() => resize(c.id, -STEP)}>Narrower</MenuItem>
            </DropdownMenu.SubContent>
          </DropdownMenu.Portal>
        </DropdownMenu.Sub>
      ))}
      <MenuLine />
      <MenuTitle>Rows</MenuTitle>
      <DropdownMenu.RadioGroup value={density} onValueChange={(d) => setDensity(d as typeof density)}>
        {DENSITIES.map((d) => (
          <DropdownMenu.RadioItem
            key={d}
            value={d}
            className="flex cursor-pointer items-center gap-3 px-3 py-1 capitalize outline-none data-[highlighted]:bg-base-200 data-[state=checked]:font-semibold"
          >
            {d}
          </DropdownMenu.RadioItem>
        ))}
      </DropdownMenu.RadioGroup>
      <MenuLine />
      <MenuItem run={copy}>Copy rows (tab-separated)</MenuItem>
      <MenuItem run={() => reset?.()} disabled={!reset}>
        Reset this table
      </MenuItem>
    </Menu>
  );
}
