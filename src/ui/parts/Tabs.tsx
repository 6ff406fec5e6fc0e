/** Tabs of a view, walked through by the arrow keys; what the chosen one shows stands in `TabPanel`. */
import { Tabs as Radix } from 'radix-ui';
import type { ReactNode } from 'react';

export function Tabs({
  value,
  choose,
  children,
}: {
  value: string;
  choose: (key: string) => void;
  children: ReactNode;
}) {
  return (
    <Radix.Root
      value={value}
      onValueChange={choose}
      activationMode="manual"
      className="flex h-full min-h-0 flex-col"
    >
      {children}
    </Radix.Root>
  );
}

export function TabBar({
  label,
  tabs,
  small = false,
}: {
  label: string;
  tabs: readonly (readonly [key: string, name: ReactNode])[];
  small?: boolean;
}) {
  return (
    <Radix.List aria-label={label} className="flex min-w-0 flex-wrap gap-1 overflow-x-auto">
      {tabs.map(([key, name]) => (
        <Radix.Trigger
          key={key}
          value={key}
          className={`btn whitespace-nowrap font-normal btn-ghost data-[state=active]:btn-neutral ${small ? 'btn-xs' : 'btn-sm'}`}
        >
          {name}
        </Radix.Trigger>
      ))}
    </Radix.List>
  );
}

/** The part of the view that a tab stands for. */
export const TabPanel = ({ value, children }: { value: string; children: ReactNode }) => (
  <Radix.Content value={value} tabIndex={-1} className="flex min-h-0 flex-1 flex-col outline-none">
    {children}
  </Radix.Content>
);
