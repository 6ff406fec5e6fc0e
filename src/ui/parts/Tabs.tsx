/** Tabs of a view, walked through by the arrow keys; what the chosen one shows stands in `TabPanel`. */
import { Tabs as Radix } from 'radix-ui';
import { createContext, useContext, useId, type ReactNode } from 'react';
import { useMounted } from './mounted.ts';

/** The id of what the tabs show. */
const Panel = createContext('');

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
    <Panel value={useId()}>
      <Radix.Root
        value={value}
        onValueChange={choose}
        activationMode="manual"
        className="flex h-full min-h-0 flex-col"
      >
        {children}
      </Radix.Root>
    </Panel>
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
  const panel = useContext(Panel);
  // Radix writes a style attribute, which the page's security policy forbids in what the server sends
  if (!useMounted()) return <div className={small ? 'h-6' : 'h-8'} />;
  return (
    <Radix.List aria-label={label} className="flex min-w-0 flex-wrap gap-1">
      {tabs.map(([key, name]) => (
        <Radix.Trigger
          key={key}
          value={key}
          aria-controls={panel}
          className={`btn whitespace-nowrap font-normal data-[state=active]:btn-neutral data-[state=inactive]:btn-ghost ${small ? 'btn-xs' : 'btn-sm'}`}
        >
          {name}
        </Radix.Trigger>
      ))}
    </Radix.List>
  );
}

/** What the chosen tab shows. */
export const TabPanel = ({ children }: { children: ReactNode }) => (
  <div role="tabpanel" id={useContext(Panel)} className="flex min-h-0 flex-1 flex-col">
    {children}
  </div>
);
