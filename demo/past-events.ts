/**
 * What people did in the last ten weeks, as the workspaces tell it, and what a steward made of it: ordinary days, and a few
 * hours that were not.
 */
import { PATTERN_STARTERS } from '../src/core/guard/patterns.ts';
import type { ItemRow } from '../src/core/model.ts';
import { membersOf, type World } from './builder.ts';
import { dice } from './make.ts';
import type { Asker } from './past-policies.ts';

const DAY = 86_400_000;
const MINUTE = 60_000;
const DAYS = 70;
const SEED = 20_261;
/** As in the wild: most of the time people read and write. */
const USUAL = [
  'file.opened',
  'file.opened',
  'file.opened',
  'file.opened',
  'file.edited',
  'file.edited',
  'file.downloaded',
  'file.printed',
];

interface Happening {
  workspace: string;
  type: string;
  subject?: string | undefined;
  data: object;
  time: string;
}

/** What happened until now, by time. */
export function pastEvents(world: World, now: number): Happening[] {
  const d = dice(SEED);
  const workspaceOf = new Map(world.spaces.map((s) => [s.id, s.workspace]));
  const members = membersOf(world);
  const owned = new Map<string, ItemRow[]>();
  for (const i of world.items)
    if (i.kind === 'file' && i.owner && members.has(i.owner) && !i.held && !i.binned)
      owned.set(i.owner, [...(owned.get(i.owner) ?? []), i]);
  const people = [...owned.keys()].filter((p) => owned.get(p)!.length > 4);
  const events: Happening[] = [];
  const put = (type: string, i: ItemRow, time: number, data: object): void => {
    if (time < now)
      events.push({
        workspace: workspaceOf.get(i.space)!,
        type,
        subject: i.id,
        data,
        time: new Date(time).toISOString(),
      });
  };
  const midnight = Math.floor(now / DAY) * DAY;
  /** What happens in teams beside their files, and those in which it does. */
  const talked = (
    [
      ['message.posted', 'chat'],
      ['mail.received', 'mail'],
      ['calendar.changed', 'calendar'],
    ] as const
  ).map(([type, source]): [string, World['spaces']] => [
    type,
    world.spaces.filter((s) => Date.parse(s.lastActivity?.[source] ?? '') > now - 30 * DAY),
  ]);
  for (let ago = DAYS; ago >= 0; ago--) {
    const day = midnight - ago * DAY;
    const weekend = [0, 6].includes(new Date(day).getUTCDay());
    for (let n = weekend ? d.int(3) : 14 + d.int(14); n > 0; n--) {
      const user = d.pick(people);
      put(d.pick(USUAL), d.pick(owned.get(user)!), day + (7 * 60 + d.int(10 * 60)) * MINUTE, {
        user,
        device: { managed: !d.chance(0.08) },
      });
    }
    if (!weekend)
      for (const [type, spaces] of talked)
        for (let n = spaces.length ? d.int(4) : 0; n > 0; n--) {
          const space = d.pick(spaces);
          const time = day + (8 * 60 + d.int(8 * 60)) * MINUTE;
          if (time < now)
            events.push({
              workspace: space.workspace,
              type,
              data: { space: space.id, user: d.pick(people) },
              time: new Date(time).toISOString(),
            });
        }
    if (!weekend && d.chance(0.4)) {
      const user = d.pick(people);
      put('file.shared', d.pick(owned.get(user)!), day + (9 * 60 + d.int(400)) * MINUTE, {
        user,
        target: { user: d.pick(people) },
        role: 'reader',
        device: { managed: true },
      });
    }
  }
  const most = [...people].sort((a, b) => owned.get(b)!.length - owned.get(a)!.length);
  const file = (name: string): ItemRow | undefined => world.items.find((i) => i.name === name);
  // one evening, from a private device, to a mailbox of one's own
  const [sender, leaver] = most as [string, string];
  owned
    .get(sender)!
    .slice(0, 9)
    .forEach((i, n) =>
      put('file.shared', i, midnight - 4 * DAY + (18 * 60 + 11 + n * 4) * MINUTE, {
        user: sender,
        target: { email: 'moonlit.pilot@postbox.test' },
        role: 'reader',
        device: { managed: false },
      }),
    );
  // whoever leaves at the end of the month takes work along
  most
    .slice(2, 12)
    .flatMap((p) => owned.get(p)!)
    .slice(0, 26)
    .forEach((i, n) =>
      put('file.downloaded', i, midnight - 19 * DAY + (16 * 60 + n) * MINUTE, {
        user: leaver,
        device: { managed: false },
      }),
    );
  const key = file('signing.key');
  if (key)
    put('file.shared', key, midnight - 12 * DAY + 10 * 60 * MINUTE, {
      user: key.owner,
      target: { everyone: true },
      role: 'reader',
      device: { managed: true },
    });
  const sale = file('Sale of the Heron Tide.docx');
  if (sale)
    put('link.made', sale, midnight - 8 * DAY + 14 * 60 * MINUTE, {
      user: sale.owner ?? most[3],
      target: { anyone: true },
      role: 'reader',
      device: { managed: true },
    });
  const chart = owned.get(most[2]!)![0]!;
  put('file.shared', chart, midnight - 2 * DAY + 11 * 60 * MINUTE, {
    user: most[2],
    target: { email: 'charts@northquay-surveyors.test' },
    role: 'editor',
    device: { managed: true },
  });
  return events.sort((a, b) => (a.time < b.time ? -1 : 1));
}

/** Tells of all of it, looks for signals in it, and says what came of the older ones. */
export async function tellPast(
  steward: Asker,
  happen: (e: Happening) => Promise<unknown>,
  events: readonly Happening[],
  send: () => Promise<unknown>,
): Promise<void> {
  for (const pattern of PATTERN_STARTERS) await steward.ask('POST', '/api/signals/patterns', pattern);
  for (const e of events) await happen(e);
  await send();
  await steward.until('what happened to be told', async () => {
    const { total } = await steward.ask<{ total: number }>('GET', '/api/events/list?limit=1');
    return total >= events.length;
  });
  const found = (): Promise<{ rows: { id: number; parts: { name: string }[] }[] }> =>
    steward.ask('GET', '/api/signals?state=all&limit=200');
  await steward.until('signals to be found', async () => (await found()).rows.length >= 3);
  const settle = async (name: string, state: 'seen-to' | 'ignored', note: string): Promise<void> => {
    const ids = (await found()).rows.filter((s) => s.parts[0]!.name === name).map((s) => s.id);
    if (ids.length) await steward.ask('PUT', '/api/signals', { ids, state, note });
  };
  await settle(
    'Many files downloaded',
    'seen-to',
    'Leaves at the end of the month; their manager has talked to them.',
  );
  await settle(
    'Keys and certificates handed on',
    'seen-to',
    'The key was replaced, and the old one revoked.',
  );
}
