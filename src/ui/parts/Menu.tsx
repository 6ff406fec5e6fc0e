/** Menus, dialogs, popovers and tooltips: Radix primitives in our dress. */
import { MoreHorizontal } from 'lucide-react';
import { DropdownMenu } from 'radix-ui';
import type { ReactElement, ReactNode } from 'react';

/** A button's menu; the button is given as it is to look. */
export function Menu({
  button,
  label,
  align = 'end',
  children,
}: {
  button: ReactElement;
  label: string;
  align?: 'start' | 'end';
  children: ReactNode;
}) {
  return (
    <DropdownMenu.Root modal={false}>
      <DropdownMenu.Trigger asChild>{button}</DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content
          align={align}
          sideOffset={4}
          collisionPadding={8}
          aria-label={label}
          className="z-50 max-h-[80vh] min-w-52 overflow-auto rounded border border-slate bg-base-100 py-1 shadow-lg"
        >
          {children}
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}

/** What can be done with a row, behind three dots. */
export const ActionsMenu = ({ of, children }: { of: string; children: ReactNode }) => (
  <Menu
    label={`Actions on ${of}`}
    button={
      <button className="btn btn-xs btn-ghost btn-square" aria-label={`Actions on ${of}`}>
        <MoreHorizontal size={14} aria-hidden />
      </button>
    }
  >
    {children}
  </Menu>
);

const ITEM =
  'flex cursor-pointer items-center gap-3 px-3 py-1 outline-none data-[highlighted]:bg-base-200 data-[disabled]:cursor-default data-[disabled]:text-quiet';

export const MenuItem = ({
  run,
  disabled = false,
  children,
}: {
  run: () => void;
  disabled?: boolean;
  children: ReactNode;
}) => (
  <DropdownMenu.Item className={ITEM} disabled={disabled} onSelect={run}>
    {children}
  </DropdownMenu.Item>
);

/** An item that goes somewhere or saves a file. */
export const MenuLink = ({
  children,
  ...anchor
}: {
  href: string;
  download?: boolean;
  children: ReactNode;
}) => (
  <DropdownMenu.Item className={ITEM} asChild>
    <a {...anchor}>{children}</a>
  </DropdownMenu.Item>
);

/** An item that is on or off; the menu stays open. */
export const MenuCheck = ({
  on,
  set,
  children,
}: {
  on: boolean;
  set: (on: boolean) => void;
  children: ReactNode;
}) => (
  <DropdownMenu.CheckboxItem
    className={ITEM}
    checked={on}
    onCheckedChange={set}
    onSelect={(e) => e.preventDefault()}
  >
    <input type="checkbox" className="checkbox checkbox-xs" checked={on} readOnly tabIndex={-1} aria-hidden />
    {children}
  </DropdownMenu.CheckboxItem>
);

export const MenuTitle = ({ children }: { children: ReactNode }) => (
  <DropdownMenu.Label className="px-3 pb-0.5 pt-1.5 text-xs font-semibold text-quiet">
    {children}
  </DropdownMenu.Label>
);

export const MenuLine = () => <DropdownMenu.Separator className="my-1 border-t border-base-300" />;
