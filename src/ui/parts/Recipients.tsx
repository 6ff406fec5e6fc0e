/** Who is told or asked: each with a way to leave them out, and ways to add somebody. */
import { useState } from 'react';
import type { MessageTo } from '../../core/guard/schema.ts';
import { toWords } from '../../core/orders/words.ts';
import { Picker } from './Picker.tsx';

const PLAIN = {
  actor: { actor: true },
  target: { target: true },
  owner: { owner: true },
  manager: { manager: true },
  sponsor: { sponsor: true },
  stewards: { stewards: true },
} as const satisfies Record<string, MessageTo>;

export function Recipients({
  to,
  channels = [],
  of = Object.keys(PLAIN) as (keyof typeof PLAIN)[],
  change,
}: {
  to: readonly MessageTo[];
  channels?: readonly { id: string; name: string }[];
  /** Whom one can choose beside channels, addresses and groups. */
  of?: readonly (keyof typeof PLAIN)[];
  change: (to: MessageTo[]) => void;
}) {
  const [named, setNamed] = useState('');
  const words = (one: MessageTo): string =>
    'channel' in one
      ? `the channel ${channels.find((c) => c.id === one.channel)?.name ?? one.channel}`
      : toWords(one);
  const add = (one: MessageTo): void => change([...to, one]);
  const addNamed = (): void => {
    const name = named.trim();
    if (name) add(name.includes('@') ? { address: name } : { group: name });
    setNamed('');
  };
  return (
    <>
      {to.map((one, n) => (
        <span key={n} className="badge badge-sm gap-1">
          {words(one)}
          <button
            type="button"
            aria-label={`Not ${words(one)}`}
            disabled={to.length === 1}
            onClick={() => change(to.filter((_, k) => k !== n))}
          >
            ×
          </button>
        </span>
      ))}
      <Picker
        label="Add somebody"
        look="btn btn-xs"
        button={to.length ? 'and …' : 'choose …'}
        groups={[
          { choices: of.map((value) => ({ value, name: toWords(PLAIN[value]) })) },
          {
            heading: 'Channels',
            choices: channels.map((c) => ({ value: `channel ${c.id}`, name: c.name })),
          },
        ]}
        choose={(v) =>
          add(
            v.startsWith('channel ')
              ? { channel: v.slice('channel '.length) }
              : PLAIN[v as keyof typeof PLAIN],
          )
        }
      />
      <input
        className="input input-xs w-48"
        aria-label="An address, or the name of a group"
        placeholder="address, or group"
        value={named}
        onChange={(e) => setNamed(e.target.value)}
        onBlur={addNamed}
        onKeyDown={(e) => {
          if (e.key !== 'Enter') return;
          e.preventDefault();
          addNamed();
        }}
      />
    </>
  );
}
