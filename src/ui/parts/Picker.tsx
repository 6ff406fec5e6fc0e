/** A button that opens a list to search and choose from. */
import { Command } from 'cmdk';
import { Popover } from 'radix-ui';
import { useState, type ReactNode } from 'react';

export interface Choice {
  value: string;
  name: string;
  detail?: string;
}

export function Picker({
  label,
  button,
  look = 'btn btn-sm',
  groups,
  choose,
  search,
  nothing = 'Nothing is called like that.',
}: {
  label: string;
  button: ReactNode;
  look?: string;
  groups: readonly { heading?: string; choices: readonly Choice[] }[];
  choose: (value: string) => void;
  /** Where the choices are asked for by what is typed; else they are searched here. */
  search?: { text: string; change: (text: string) => void };
  nothing?: string;
}) {
  const [open, setOpen] = useState(false);
  return (
    <Popover.Root
      open={open}
      onOpenChange={(next) => {
        setOpen(next);
        if (next) search?.change('');
      }}
    >
      <Popover.Trigger type="button" className={look} aria-label={label}>
        {button}
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          align="start"
          sideOffset={4}
          collisionPadding={8}
          aria-label={label}
          className="z-50 w-96 rounded border border-slate bg-base-100 shadow-lg"
        >
          <Command label={label} shouldFilter={!search} loop>
            <Command.Input
              className="input input-sm w-full rounded-b-none border-0 border-b border-slate"
              placeholder="search …"
              autoFocus
              {...(search && { value: search.text, onValueChange: search.change })}
            />
            <Command.List className="max-h-72 overflow-auto p-1">
              <Command.Empty className="px-2 py-1 text-quiet">{nothing}</Command.Empty>
              {groups.map(
                ({ heading, choices }, n) =>
                  choices.length > 0 && (
                    <Command.Group
                      key={heading ?? n}
                      heading={heading}
                      className="[&_[cmdk-group-heading]]:px-2 [&_[cmdk-group-heading]]:pt-1 [&_[cmdk-group-heading]]:text-xs [&_[cmdk-group-heading]]:text-quiet"
                    >
                      {choices.map((c) => (
                        <Command.Item
                          key={c.value}
                          value={c.value}
                          keywords={[c.name, c.detail ?? '']}
                          className="flex cursor-pointer gap-3 rounded px-2 py-1 data-[selected=true]:bg-base-300"
                          onSelect={() => {
                            setOpen(false);
                            choose(c.value);
                          }}
                        >
                          <span className="max-w-[60%] shrink-0 truncate">{c.name}</span>
                          <span className="min-w-0 flex-1 truncate text-quiet" title={c.detail}>
                            {c.detail}
                          </span>
                        </Command.Item>
                      ))}
                    </Command.Group>
                  ),
              )}
            </Command.List>
          </Command>
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}
