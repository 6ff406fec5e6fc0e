/** Third-party apps that the ferry line's people have let into their workspaces: ordinary ones, and some that should not be there. */
import type { AppGrantRow, AppRow } from '../src/core/model.ts';
import { SCIM_ENTERPRISE } from '../src/formats/rows.ts';
import { membersOf, type World } from './builder.ts';
import { dice } from './make.ts';

const SEED = 1906;
const DAY = 86_400_000;
const WORKSPACES = ['drives', 'sites', 'channels'] as const;
type Workspace = (typeof WORKSPACES)[number];

/** What ordinary apps are called, what they are, and what they ask for. */
const ORDINARY: readonly [name: string, category: string, scopes: string[]][] = [
  ['Berth Planner', 'planning', ['files:read:picked', 'calendar:read']],
  ['Tide Tables', 'planning', ['calendar:read']],
  ['Crew Roster', 'planning', ['calendar:read', 'directory:read']],
  ['Minute Taker', 'notes', ['calendar:read', 'files:read:picked']],
  ['Form Builder', 'forms', ['files:read:picked']],
  ['Survey Sheets', 'forms', ['files:read:picked']],
  ['Chart Viewer', 'viewer', ['files:read:picked']],
  ['Drawing Board', 'drawing', ['files:read:picked', 'files:write:own']],
  ['Diagram Desk', 'drawing', ['files:read:picked']],
  ['Meeting Polls', 'planning', ['calendar:read']],
  ['Sign Here', 'signing', ['files:read:picked']],
  ['Travel Desk', 'travel', ['calendar:read', 'mail:read']],
  ['Expense Notes', 'finance', ['files:read:picked']],
  ['Spelling Help', 'writing', ['files:read:own']],
  ['Translation Bench', 'writing', ['files:read:picked']],
  ['Read Aloud', 'writing', ['files:read:picked']],
  ['Standup Notes', 'notes', ['chat:read']],
  ['Ticket Linker', 'service', ['chat:read', 'directory:read']],
  ['Duty Phone', 'service', ['directory:read']],
  ['Backup Locker', 'backup', ['files:read:all']],
];
const MAKERS = [
  'Northlight Software',
  'Fairlead Tools',
  'Quayside Digital',
  'Stormglass Apps',
  'Halyard Works',
];

const DEVICES = ['a laptop of the organisation', 'a phone', 'a browser that is not known'];

/** Apps and what they were let in for. What is planted is named by what is wrong with it. */
export function demoApps(
  world: Pick<World, 'users' | 'grants' | 'items' | 'spaces'>,
): Pick<World, 'apps' | 'app-grants'> {
  const d = dice(SEED);
  const apps: AppRow[] = [];
  const appGrants: AppGrantRow[] = [];
  const NOW = Date.parse('2026-11-20T08:00:00Z');
  const ago = (days: number): string => new Date(NOW - days * DAY).toISOString();
  const members = membersOf(world);
  const workspaceOf = new Map(world.spaces.map((s) => [s.id, s.workspace]));
  const spaceOfItem = new Map(world.items.map((i) => [i.id, i.space]));
  /** Members who are known to each workspace by what was granted to them. */
  const people = Object.fromEntries(WORKSPACES.map((w) => [w, new Set<string>()])) as Record<
    Workspace,
    Set<string>
  >;
  for (const g of world.grants) {
    const space = 'space' in g.on ? g.on.space : spaceOfItem.get(g.on.item)!;
    if ('user' in g.to && members.has(g.to.user)) people[workspaceOf.get(space) as Workspace]?.add(g.to.user);
  }
  for (const i of world.items)
    if (i.owner && members.has(i.owner)) people[workspaceOf.get(i.space) as Workspace].add(i.owner);
  const lists = Object.fromEntries(WORKSPACES.map((w) => [w, [...people[w]].sort()])) as Record<
    Workspace,
    string[]
  >;

  const app = (workspace: Workspace, name: string, more: Partial<AppRow>): string => {
    const id = `${name.toLowerCase().replace(/[^\p{L}\p{N}]+/gu, '-')}.${workspace}`;
    apps.push({ id, workspace, name, createdAt: ago(400 + d.int(900)), ...more });
    return id;
  };
  const grant = (
    of: string,
    workspace: Workspace,
    who: string,
    scopes: string[],
    more: Partial<AppGrantRow> = {},
  ): void => {
    const days = 20 + d.int(500);
    appGrants.push({
      id: `ag${String(appGrants.length + 1).padStart(4, '0')}`,
      app: of,
      workspace,
      ...(who === 'everyone' ? { everyone: true } : { user: who }),
      scopes,
      grantedAt: ago(days),
      lastUsedAt: ago(d.int(Math.min(days, 60))),
      // of a grant by an administrator the workspaces do not say
      ...(who !== 'everyone' &&
        appGrants.length % 3 === 0 && {
          device: DEVICES[appGrants.length % DEVICES.length]!,
          address: `198.51.100.${1 + (appGrants.length % 250)}`,
        }),
      ...more,
    });
  };
  for (const workspace of WORKSPACES)
    for (const [n, [name, category, scopes]] of ORDINARY.entries()) {
      if (workspace === 'channels' && n % 2 === 0) continue;
      const publisher = MAKERS[n % MAKERS.length]!;
      const host = `${publisher.split(' ')[0]!.toLowerCase()}.example`;
      const id = app(workspace, name, {
        publisher,
        verified: n % 7 !== 3,
        homepage: `https://www.${host}/`,
        redirectHosts: [`login.${host}`],
        category,
      });
      if (scopes.includes('files:read:all')) {
        grant(id, workspace, 'everyone', scopes, { offline: true });
        continue;
      }
      const among = lists[workspace];
      for (const u of new Set(Array.from({ length: 4 + d.int(28) }, () => d.pick(among))))
        grant(id, workspace, u, scopes, { offline: d.chance(0.3) });
    }

  // a game with access to all mail
  const game = app('drives', 'Harbour Blocks', {
    publisher: 'Puffin Play',
    category: 'game',
    redirectHosts: ['play.puffinplay.test'],
    createdAt: ago(200),
  });
  for (const u of lists.drives.slice(3, 8)) grant(game, 'drives', u, ['mail:read'], { offline: true });
  // made to be taken for a known one
  const alike = app('drives', 'Berth P1anner', {
    publisher: 'Northlight Soft',
    category: 'planning',
    redirectHosts: ['login.north1ight.test'],
    createdAt: ago(12),
  });
  for (const u of lists.drives.slice(10, 14))
    grant(alike, 'drives', u, ['files:read:own', 'mail:read'], {
      grantedAt: ago(8),
      lastUsedAt: ago(1),
      offline: true,
    });
  // everything of eleven people in Finance
  const finance = new Set(
    world.users
      .filter((u) => (u[SCIM_ENTERPRISE] as { department?: string } | undefined)?.department === 'Finance')
      .map((u) => u.id),
  );
  const converter = app('drives', 'Any Format', {
    publisher: 'Any Format Online',
    category: 'converter',
    redirectHosts: ['login.any-format.test'],
    createdAt: ago(90),
  });
  for (const u of lists.drives.filter((p) => finance.has(p)).slice(0, 11))
    grant(converter, 'drives', u, ['files:read:own', 'files:write:own', 'files:share:own'], {
      offline: true,
    });
  // nobody has used it for a year, and it still reads all sites for everybody
  const index = app('sites', 'Site Index', {
    publisher: 'Fairlead Tools',
    verified: true,
    category: 'search',
    redirectHosts: ['index.fairlead.example'],
  });
  grant(index, 'sites', 'everyone', ['files:read:all'], {
    grantedAt: ago(700),
    lastUsedAt: ago(390),
    offline: true,
  });
  // it answers without TLS, to a bare address
  const old = app('sites', 'Label Printer', {
    publisher: 'Quayside Digital',
    category: 'printing',
    redirectHosts: ['http://192.0.2.44'],
  });
  for (const u of lists.sites.slice(0, 6)) grant(old, 'sites', u, ['files:read:own']);
  // what it was let in for is of another vocabulary
  const finder = app('sites', 'Archive Finder', {
    publisher: 'Stormglass Apps',
    verified: true,
    category: 'search',
    redirectHosts: ['login.stormglass.example'],
  });
  for (const u of lists.sites.slice(8, 11)) grant(finder, 'sites', u, ['documents.search']);
  // it sends mail as people
  const sender = app('channels', 'Greeting Cards', {
    publisher: 'Puffin Play',
    category: 'messages',
    redirectHosts: ['cards.puffinplay.test'],
    createdAt: ago(25),
  });
  for (const u of lists.channels.slice(0, 9))
    grant(sender, 'channels', u, ['mail:send', 'directory:read'], { grantedAt: ago(15), lastUsedAt: ago(2) });
  // the domain that it answers to has ended
  const writer = app('sites', 'Tide Writer', {
    publisher: 'Tidewriter',
    verified: true,
    category: 'writing',
    redirectHosts: ['login.tidewriter.example'],
  });
  for (const u of lists.sites.slice(14, 21)) grant(writer, 'sites', u, ['files:read:own']);
  return { apps, 'app-grants': appGrants };
}
