/**
 * Tarn & Tide Ferries: an invented ferry line, the same on every run. Its rows are those of the
 * bulk extract, version 1. The flaws planted in it are in flaws.ts.
 */
import { demoApps } from './apps.ts';
import { realFile } from './real-files.ts';
import { keepRecords } from './records.ts';
import type { ItemRow, SpaceRow } from '../src/core/model.ts';
import { SCIM_ENTERPRISE, SCIM_GROUP, SCIM_IDENTITY, SCIM_USER } from '../src/formats/rows.ts';
import { DEPARTMENTS, type Builder, type World } from './builder.ts';
import { plantFlaws } from './flaws.ts';
import { makeSitesAndChannels } from './sites.ts';
import { cardNumber, dice, fullName, grouped, ibanNumber, localPart, prose, type Dice } from './make.ts';

export const DOMAIN = 'tarntide.example';
export const PARTNERS = {
  agents: 'fjordport.example',
  yard: 'kelda-yard.example',
  caterer: 'galleykit.example',
  surveyor: 'hullmark.example',
  insurer: 'marinemutual.example',
  reseller: 'ticketcove.example',
} as const;
const OFFICES = ['Norway', 'Scotland', 'Netherlands', 'Estonia'] as const;
const SIZES = [150, 60, 45, 30, 25, 40, 20, 20, 20, 10] as const;
const SHIPS = ['Selkie', 'Heron Tide', 'Grey Tarn', 'Maelin', 'Sandpiper', 'Noordster'] as const;

const day = (year: number, n: number): string =>
  new Date(Date.UTC(year, 0, 1 + n, 8 + (n % 9), (n * 7) % 60)).toISOString().replace('.000', '');

export function makeWorld(seed = 20261): World {
  const d = dice(seed);
  const world: World = {
    manifest: {
      format: 'gate-lantern-extract',
      version: 1,
      takenAt: '2026-11-20T06:00:00Z',
      organisation: {
        name: 'Tarn & Tide Ferries',
        domains: [DOMAIN],
        partnerDomains: Object.values(PARTNERS),
      },
      workspaces: [
        {
          id: 'drives',
          name: 'Tarn & Tide Drives',
          inheritance: 'additive',
          externalSharing: 'anyone',
          region: 'EU',
        },
        {
          id: 'sites',
          name: 'Tarn & Tide Sites',
          inheritance: 'breakable',
          externalSharing: 'anyone',
          region: 'EU',
        },
        {
          id: 'channels',
          name: 'Tarn & Tide Channels',
          inheritance: 'additive',
          externalSharing: 'anyone',
          region: 'EU',
        },
      ],
    },
    users: [],
    groups: [],
    spaces: [],
    items: [],
    grants: [],
    links: [],
    apps: [],
    'app-grants': [],
    content: [],
    activity: [],
    accounts: [],
    flaws: [],
    later: [],
  };
  const counters: Record<string, number> = {};
  const nextId = (prefix: string): string =>
    `${prefix}${String((counters[prefix] = (counters[prefix] ?? 0) + 1)).padStart(5, '0')}`;

  // people
  const byDepartment = new Map<string, string[]>();
  const byOffice = new Map<string, string[]>(OFFICES.map((o) => [o, []]));
  const taken = new Set<string>();
  const user = (name: string, address: string, fields: Record<string, unknown>): string => {
    const id = nextId('u');
    world.users.push({
      schemas: [SCIM_USER, SCIM_ENTERPRISE, SCIM_IDENTITY],
      id,
      userName: address,
      displayName: name,
      name: { formatted: name },
      active: true,
      emails: [{ value: address, primary: true }],
      ...fields,
    });
    return id;
  };
  let n = 0;
  const newName = (): [string, string] => {
    for (;;) {
      const name = fullName(n++);
      if (!taken.has(localPart(name))) {
        taken.add(localPart(name));
        return [name, `${localPart(name)}@${DOMAIN}`];
      }
    }
  };
  DEPARTMENTS.forEach((department, k) => {
    let head: string | undefined;
    const ids = Array.from({ length: SIZES[k]! }, (_, i) => {
      const [name, address] = newName();
      const office = OFFICES[(i + k) % OFFICES.length]!;
      const id = user(name, address, {
        title:
          i === 0
            ? `Head of ${department}`
            : department === 'Crew'
              ? `${d.pick(['Able seaman', 'Steward', 'Mate', 'Engineer', 'Purser'])}, ${SHIPS[i % SHIPS.length]}`
              : department,
        [SCIM_ENTERPRISE]: { department, ...(head && { manager: { value: head } }) },
        [SCIM_IDENTITY]: { kind: 'member' },
      });
      head ??= id;
      byOffice.get(office)!.push(id);
      return id;
    });
    byDepartment.set(department, ids);
  });
  const leavers = Array.from({ length: 18 }, () => {
    const [name, address] = newName();
    const department = d.pick(DEPARTMENTS);
    const [head] = byDepartment.get(department)!;
    return user(name, address, {
      active: false,
      [SCIM_ENTERPRISE]: { department, manager: { value: head } },
    });
  });
  const guests = new Map<string, string>();
  const guest = (address: string): string => {
    let id = guests.get(address);
    if (!id) {
      const local = address.split('@')[0]!;
      id = user(
        local.replace(/[.-]/g, ' ').replace(/\b\w/g, (c) => c.toUpperCase()),
        address,
        { [SCIM_IDENTITY]: { kind: 'guest' } },
      );
      guests.set(address, id);
    }
    return id;
  };
  for (const domain of Object.values(PARTNERS))
    for (const local of ['desk', 'planning', 'accounts', 'duty.manager']) guest(`${local}@${domain}`);

  // groups
  const group = (id: string, name: string, members: string[]): string => {
    world.groups.push({
      schemas: [SCIM_GROUP],
      id,
      displayName: name,
      members: members.map((value) => ({ value, type: value.startsWith('g-') ? 'Group' : 'User' })),
    });
    return id;
  };
  const slug = (name: string): string => name.toLowerCase().replace(/[^a-z]+/g, '-');
  const departmentGroup = (name: string): string => `g-${slug(name)}`;
  for (const office of OFFICES) group(`g-office-${slug(office)}`, `Office ${office}`, byOffice.get(office)!);
  group(
    'g-offices',
    'All offices',
    OFFICES.map((o) => `g-office-${slug(o)}`),
  );
  group('g-all-staff', 'All staff', ['g-offices']);
  for (const [department, ids] of byDepartment) {
    const half = Math.ceil(ids.length / 2);
    const teams =
      ids.length > 20
        ? [ids.slice(0, half), ids.slice(half)].map((members, i) =>
            group(`${departmentGroup(department)}-${i + 1}`, `${department} team ${i + 1}`, members),
          )
        : ids;
    group(departmentGroup(department), department, teams);
    group(`${departmentGroup(department)}-leads`, `${department} leads`, ids.slice(0, 3));
  }
  const crew = byDepartment.get('Crew')!;
  SHIPS.forEach((ship, i) =>
    group(
      `g-ship-${slug(ship)}`,
      `On board ${ship}`,
      crew.filter((_, k) => k % SHIPS.length === i),
    ),
  );
  group('g-port-leads', 'Port leads', [
    ...byDepartment.get('Port Operations')!.slice(0, 4),
    'g-shift-planners',
  ]);
  group('g-shift-planners', 'Shift planners', [...byDepartment.get('Crew')!.slice(0, 5), 'g-port-leads']);
  group('g-payroll', 'Payroll', byDepartment.get('Finance')!.slice(0, 6));
  group('g-disputes', 'Card disputes', [
    ...byDepartment.get('Finance')!.slice(6, 10),
    ...byDepartment.get('Sales')!.slice(0, 3),
  ]);
  group('g-vessel-systems', 'Vessel systems', byDepartment.get('IT')!.slice(0, 5));
  for (const [key, domain] of Object.entries(PARTNERS))
    group(
      `g-partner-${key}`,
      `Partner ${key}`,
      [...guests].filter(([a]) => a.endsWith(`@${domain}`)).map(([, id]) => id),
    );
  group('g-leavers', 'Former staff', leavers.slice(0, 9));
  while (world.groups.length < 60) {
    const k = world.groups.length;
    group(
      `g-project-${k}`,
      `Project ${['Lighthouse', 'Spindrift', 'Fairlead', 'Longshore'][k % 4]} ${k}`,
      Array.from({ length: 4 + d.int(9) }, () => d.pick(crew))
        .concat(byDepartment.get('Technical')!.slice(k % 20, (k % 20) + 3))
        .filter((m, i, all) => all.indexOf(m) === i),
    );
  }

  // spaces, items, grants, links
  const drives = new Map<string, string>();
  const driveOwner = new Map<string, string>();
  const personal = new Map<string, string>();
  const grant: Builder['grant'] = (on, to, role, at, by, more) => {
    const id = nextId('gr');
    world.grants.push({ id, on, to, role, grantedAt: at, grantedBy: by, ...more });
    return id;
  };
  const link: Builder['link'] = (row) => {
    const id = nextId('ln');
    world.links.push({ id, ...row });
    return id;
  };
  const item = (space: string, kind: 'folder' | 'file', name: string, more: Partial<ItemRow>): string => {
    const id = nextId(kind === 'folder' ? 'fd' : 'fi');
    world.items.push({
      id,
      space,
      kind,
      name,
      createdAt: day(2024, d.int(700)),
      modifiedAt: day(2026, d.int(300)),
      ...more,
    });
    return id;
  };
  const folder: Builder['folder'] = (space, name, parent) =>
    item(space, 'folder', name, parent ? { parent } : {});
  const file: Builder['file'] = (space, name, text, more = {}) => {
    const id = item(space, 'file', name, {
      mime: mimeOf(name),
      bytes:
        text === undefined
          ? 20_000 + d.int(4_000_000)
          : (realFile(name, text) ?? new TextEncoder().encode(text)).length,
      ...more,
    });
    if (text !== undefined) world.content.push({ item: id, part: 'body', text });
    return id;
  };
  const space = (name: string, kind: SpaceRow['kind'], owner: string): string => {
    const id = nextId(kind === 'shared-drive' ? 'sd' : 'pd');
    world.spaces.push({
      id,
      workspace: 'drives',
      kind,
      name,
      visibility: 'members',
      owners: [owner],
      region: 'EU',
      createdAt: day(2023, d.int(700)),
      lastActivity: { files: day(2026, 200 + d.int(120)) },
    });
    return id;
  };

  const FILES = [
    'Minutes',
    'Plan',
    'Handover',
    'Checklist',
    'Summary',
    'Briefing',
    'Notes',
    'Report',
  ] as const;
  const TOPICS = [
    'berth times',
    'winter timetable',
    'crew change',
    'deck survey',
    'galley stock',
    'pier works',
    'fuel use',
    'ticket machines',
    'summer campaign',
    'training days',
  ] as const;
  const fill = (target: string, folders: number, files: number, textShare: number, owner?: string): void => {
    const made: string[] = [];
    for (let i = 0; i < folders; i++)
      made.push(
        folder(
          target,
          `${d.pick(['Archive', 'Working', 'Shared', 'Season', 'Yearly'])} ${d.pick(['A', 'B', 'C', '2024', '2025', '2026'])} ${i + 1}`,
          made.length > 1 && d.chance(0.4) ? d.pick(made) : undefined,
        ),
      );
    for (let i = 0; i < files; i++) {
      const title = `${d.pick(FILES)} ${d.pick(TOPICS)} ${i + 1}`;
      const withText = d.chance(textShare);
      const parent = made.length && d.chance(0.8) ? d.pick(made) : undefined;
      file(
        target,
        title + (withText ? d.pick(TEXT_KINDS) : d.pick(['.jpg', '.mp4', '.dwg', '.png'])),
        withText ? text(d, title) : undefined,
        { ...(parent && { parent }), ...(owner && { owner }), ...(d.chance(0.1) && { label: 'internal' }) },
      );
    }
  };

  const sharedNames: [string, string, string[]][] = [
    ...DEPARTMENTS.map((x): [string, string, string[]] => [x, x, [departmentGroup(x)]]),
    ...DEPARTMENTS.map((x): [string, string, string[]] => [`${x} leads`, x, [`${departmentGroup(x)}-leads`]]),
    ...SHIPS.map((x): [string, string, string[]] => [
      `Vessel ${x}`,
      'Technical',
      [`g-ship-${slug(x)}`, 'g-technical'],
    ]),
    ['Company notices', 'Management', ['g-all-staff']],
    ['Payroll', 'Finance', ['g-payroll']],
    ['Card disputes', 'Finance', ['g-disputes']],
    ['Vessel systems', 'IT', ['g-vessel-systems']],
    ['Berth contracts', 'Port Operations', ['g-port-operations-leads']],
    ['Port agents', 'Port Operations', ['g-port-operations']],
    ['Shipyard works', 'Technical', ['g-technical']],
    ['Catering supply', 'Catering', ['g-catering']],
    ['Insurance', 'Finance', ['g-finance-leads']],
    ['Reseller sales', 'Sales', ['g-sales']],
    ['Crew records', 'People', ['g-people-1']],
    ['New route study', 'Management', ['g-management']],
    ['Passenger lists', 'Safety', ['g-safety']],
    ['Training', 'People', ['g-people', 'g-crew']],
  ];
  for (const [name, department, groups] of sharedNames) {
    const owner = byDepartment.get(department)![0]!;
    const id = space(name, 'shared-drive', owner);
    drives.set(name, id);
    // nobody has set it otherwise since the drive was made
    if (name === 'Card disputes') world.spaces.at(-1)!.defaultAudience = 'anyone';
    driveOwner.set(id, owner);
    grant({ space: id }, { user: owner }, 'manager', day(2023, 20), owner);
    for (const g of groups) grant({ space: id }, { group: g }, 'editor', day(2023, 30 + d.int(60)), owner);
    fill(id, 8 + d.int(8), 65 + d.int(32), 0.42);
  }
  for (const ids of byDepartment.values())
    for (const owner of ids) {
      const name = (world.users.find((u) => u.id === owner) as { displayName?: string }).displayName!;
      const id = space(`${name}’s drive`, 'personal-drive', owner);
      personal.set(owner, id);
      grant({ space: id }, { user: owner }, 'owner', day(2023, 40), owner);
      fill(id, d.int(2), 4 + d.int(3), 0.3, owner);
    }

  const builder: Builder = {
    d,
    guest,
    folder,
    file,
    grant,
    link,
    group,
    person: (department, i) => byDepartment.get(department)![i]!,
    drive: (name) => drives.get(name)!,
    personalDrive: (u) => personal.get(u)!,
    space: (row, prefix) => {
      const id = nextId(prefix);
      world.spaces.push({ id, ...row });
      return id;
    },
    fill: (target, folders, files, share) => fill(target, folders, files, share),
    account: (workspace, address, name) => {
      const id = nextId('x');
      world.accounts.push({ workspace, id, address, name, external: true });
      return id;
    },
    addToGroup: (g, value) =>
      void world.groups
        .find((x) => x.id === g)!
        .members.push({ value, type: value.startsWith('g-') ? 'Group' : 'User' }),
  };
  expectedSharing(builder, world);
  world.flaws = [...plantFlaws(builder), ...makeSitesAndChannels(builder, world)];
  useIt(d, world);
  shareLately(dice(seed + 1), world);
  keepRecords(builder);
  fallAsleep(world);
  Object.assign(world, demoApps(world));
  return world;
}

/** What the fleet's offices write in, as often as they do. */
const TEXT_KINDS = [
  '.docx',
  '.docx',
  '.docx',
  '.xlsx',
  '.xlsx',
  '.pdf',
  '.pdf',
  '.pptx',
  '.txt',
  '.txt',
  '.md',
  '.html',
  '.odt',
  '.rtf',
  '.eml',
  '.csv',
  '.json',
  '.zip',
] as const;

const mimeOf = (name: string): string =>
  ({
    docx: 'application/vnd.openxmlformats-officedocument.wordprocessingml.document',
    xlsx: 'application/vnd.openxmlformats-officedocument.spreadsheetml.sheet',
    pptx: 'application/vnd.openxmlformats-officedocument.presentationml.presentation',
    odt: 'application/vnd.oasis.opendocument.text',
    pdf: 'application/pdf',
    rtf: 'application/rtf',
    html: 'text/html',
    eml: 'message/rfc822',
    json: 'application/json',
    zip: 'application/zip',
    txt: 'text/plain',
    md: 'text/markdown',
    csv: 'text/csv',
    pem: 'application/x-pem-file',
    key: 'application/x-pem-file',
    jpg: 'image/jpeg',
    png: 'image/png',
    mp4: 'video/mp4',
  })[name.split('.').pop()!] ?? 'application/octet-stream';

/** Ordinary text, some of it full of numbers that look like something and are nothing. */
function text(d: Dice, title: string): string {
  let body = prose(d, title, 3 + d.int(14));
  if (d.chance(0.25))
    body += `Order ${d.int(1e9)}${d.int(1e7)} of part no 4${d.int(1e9)}-${d.int(1e5)}, delivered ${day(2026, d.int(300))}.\n`;
  if (d.chance(0.15)) body += `Tracking 0${d.int(1e9)}${d.int(1e9)}, call +47 ${22000000 + d.int(999999)}.\n`;
  return body;
}

/** What people gave their colleagues in the last two months: single files of no weight. */
function shareLately(d: Dice, world: World): void {
  const read = new Set(world.content.map((c) => c.item));
  const drives = new Set(world.spaces.flatMap((s) => (s.workspace === 'drives' ? s.id : [])));
  const plain = world.items.filter(
    (i) =>
      i.kind === 'file' &&
      i.owner &&
      drives.has(i.space) &&
      !read.has(i.id) &&
      /\.(?:docx|pptx|pdf|jpg|png|odt)$/.test(i.name),
  );
  const active = world.users.filter((u) => (u as { active?: boolean }).active !== false).slice(0, 300);
  for (let n = 1; n <= 60; n++) {
    const file = d.pick(plain);
    const to = d.pick(active).id;
    if (to === file.owner) continue;
    world.grants.push({
      id: `gr8${String(n).padStart(4, '0')}`,
      on: { item: file.id },
      to: { user: to },
      role: d.chance(0.7) ? 'reader' : 'editor',
      grantedAt: new Date(Date.parse('2026-11-19T08:00:00Z') - d.int(60) * 86_400_000 + d.int(36_000_000))
        .toISOString()
        .replace(/\.\d+/, ''),
      grantedBy: file.owner!,
    });
  }
}

/** Spaces in which nothing happens any more: of what is over, and of somebody who has left. */
function fallAsleep(world: World): void {
  const active = world.users.filter(
    (u) => u.active !== false && String(u.userName).endsWith('@tarntide.example'),
  );
  const gone = world.users.find((u) => u.active === false)!;
  const day = (t: string): string => `${t}T09:00:00Z`;
  const idle = [
    ['site', 'Tender for the Lismore route', 40, '2025-02-10', '2026-05-12'],
    ['site', 'Regatta 2025', 55, '2025-03-03', '2025-09-08'],
    ['site', 'Winter timetable 2024', 70, '2024-06-03', '2025-01-20'],
    ['site', 'Pier works Kerrera', undefined, '2024-09-02', '2026-03-04'],
    ['channel', 'regatta-2025', 55, '2025-03-03', '2025-09-01'],
    ['channel', 'storm-watch-march', 85, '2026-03-01', '2026-03-09'],
  ] as const;
  for (const [n, [kind, name, who, created, last]] of idle.entries()) {
    const owner = who === undefined ? gone.id : active[who]!.id;
    const id = `${kind === 'site' ? 'st' : 'ch'}9${String(n).padStart(3, '0')}`;
    world.spaces.push({
      id,
      workspace: kind === 'site' ? 'sites' : 'channels',
      kind,
      name,
      visibility: 'members',
      owners: [owner],
      ...(kind === 'site' && { region: 'EU' }),
      createdAt: day(created),
      lastActivity: kind === 'site' ? { files: day(last) } : { chat: day(last) },
    });
    for (const [k, user] of [owner, ...active.slice(n * 7, n * 7 + 4).map((u) => u.id)].entries())
      world.grants.push({
        id: kind === 'site' ? `gr9${n}${k}` : `${id}/c-${user}`,
        on: { space: id },
        to: { user },
        role: k ? 'editor' : 'manager',
        grantedAt: day(created),
      });
    for (const [k, file] of ['Plan', 'Costs', 'Minutes', 'Lessons learnt', 'Photos'].entries())
      world.items.push({
        id: `it9${n}${k}`,
        space: id,
        kind: 'file',
        name: `${file}, ${name.toLowerCase()}.${k === 1 ? 'xlsx' : 'docx'}`,
        bytes: 24_000 + 9_000 * k,
        owner: active[n * 7]!.id,
        createdAt: day(created),
        modifiedAt: day(last),
        modifiedBy: active[n * 7]!.id,
      });
  }
}

/**
 * Who opened and edited what in the last months: owners and those whom grants name by themselves,
 * most of them lately, some not for long.
 */
function useIt(d: Dice, world: World): void {
  let n = 0;
  const event = (type: 'opened' | 'edited', item: string, by: object, daysAgo: number): void => {
    n++;
    world.activity.push({
      specversion: '1.0',
      id: `ev${String(n).padStart(6, '0')}`,
      source: '/workspaces/tarntide',
      type: `org.gatelantern.item.${type}`,
      subject: item,
      time: new Date(Date.parse('2026-11-19T18:00:00Z') - daysAgo * 86_400_000 - d.int(80_000_000))
        .toISOString()
        .replace(/\.\d+/, ''),
      data: by,
    });
  };
  for (const i of world.items) {
    if (i.kind !== 'file') continue;
    if (i.owner && d.chance(0.6))
      event(d.chance(0.5) ? 'edited' : 'opened', i.id, { user: i.owner }, d.int(60));
  }
  const filesBelow = new Map<string, string[]>();
  for (const i of world.items)
    if (i.kind === 'file')
      for (const at of [i.space, i.parent, i.id])
        if (at) (filesBelow.get(at) ?? filesBelow.set(at, []).get(at)!).push(i.id);
  const some = (at: string): string | undefined => {
    const files = filesBelow.get(at);
    return files && d.pick(files);
  };
  for (const g of world.grants) {
    const file = some('space' in g.on ? g.on.space : g.on.item);
    if (!file) continue;
    if ('user' in g.to && d.chance(0.5))
      event(g.role === 'editor' ? 'edited' : 'opened', file, { user: g.to.user }, d.int(80));
    if ('group' in g.to) {
      const members = world.groups.find((x) => x.id === (g.to as { group: string }).group)?.members ?? [];
      for (const m of members.filter((x) => x.type === 'User').slice(0, 4))
        if (d.chance(0.6)) event('opened', file, { user: m.value }, d.int(85));
    }
  }
  for (const l of world.links)
    for (const r of l.redeemedBy ?? []) {
      const file = some('space' in l.on ? l.on.space : l.on.item);
      if (file && 'email' in r) event('opened', file, { email: r.email }, l.lastUsedAt ? 20 : 200);
    }
}

/** What is shared outside and is meant to be, and what is sensitive and rightly kept. */
function expectedSharing(b: Builder, world: World): void {
  const { d } = b;
  const head = b.person('Port Operations', 0);
  const partnerFolders: [string, string, string][] = [
    ['Port agents', 'Berth schedule for agents', 'g-partner-agents'],
    ['Shipyard works', 'Docking scope', 'g-partner-yard'],
    ['Catering supply', 'Menus and counts', 'g-partner-caterer'],
    ['Insurance', 'Hull particulars', 'g-partner-insurer'],
    ['Reseller sales', 'Campaign texts', 'g-partner-reseller'],
  ];
  for (const [drive, name, group] of partnerFolders) {
    const f = b.folder(b.drive(drive), name);
    b.grant({ item: f }, { group }, 'commenter', '2025-03-10T09:00:00Z', head);
    for (let i = 0; i < 12; i++)
      b.file(b.drive(drive), `${name} ${i + 1}.txt`, prose(d, name, 6), { parent: f });
  }
  // outsiders by address, on folders with nothing sensitive in them
  const press = b.folder(b.drive('Company notices'), 'Press kit');
  b.link({
    on: { item: press },
    audience: 'anyone',
    role: 'reader',
    createdBy: b.person('Sales', 1),
    createdAt: '2026-02-01T10:00:00Z',
    redeemedBy: [{ email: 'newsdesk@harbour-gazette.test', at: '2026-02-03T08:00:00Z' }],
  });
  for (let i = 0; i < 8; i++)
    b.file(b.drive('Company notices'), `Press release ${i + 1}.md`, prose(d, 'For the press', 8), {
      parent: press,
    });
  b.grant(
    { item: press },
    { email: 'Photo@Studio-Skerry.test' },
    'reader',
    '2026-02-01T10:05:00Z',
    b.person('Sales', 1),
  );

  // sensitive and in the right hands
  const payroll = b.drive('Payroll');
  for (let m = 1; m <= 10; m++)
    b.file(
      payroll,
      `Payroll run 2026-${String(m).padStart(2, '0')}.csv`,
      'name;account (IBAN);amount EUR\n' +
        Array.from(
          { length: 30 },
          (_, i) => `${fullName(i * 3 + m)};${ibanNumber(d)};${2000 + d.int(3000)}`,
        ).join('\n') +
        '\n',
      { owner: b.person('Finance', 1) },
    );
  for (let m = 1; m <= 6; m++)
    b.file(
      b.drive('Card disputes'),
      `Disputes week ${m}.txt`,
      'Card disputes of the week\n' +
        Array.from(
          { length: 9 },
          () => `card ${grouped(cardNumber(d))} disputed ${20 + d.int(200)} EUR`,
        ).join('\n') +
        '\n',
    );
  // withdrawn in time, or given to somebody who has left: nothing is open here
  const expired = b.file(
    b.drive('Card disputes'),
    'Disputes sent to the acquirer.txt',
    `Refund to card ${grouped(cardNumber(d))} is done.\n`,
  );
  b.link({
    on: { item: expired },
    audience: 'anyone',
    role: 'reader',
    createdBy: b.person('Finance', 7),
    createdAt: '2025-01-10T10:00:00Z',
    expiresAt: '2025-02-10T10:00:00Z',
  });
  const left = world.users.find((u) => u.active === false)!.id;
  b.grant({ item: expired }, { user: left }, 'reader', '2024-05-01T10:00:00Z', b.person('Finance', 7));
  b.grant(
    { item: expired },
    { email: `old.address@${DOMAIN}` },
    'reader',
    '2024-05-01T10:00:00Z',
    b.person('Finance', 7),
  );
  // numbers that are no cards, open to a partner
  b.file(
    b.drive('Catering supply'),
    'Order numbers.csv',
    'order number;boxes\n' +
      Array.from(
        { length: 40 },
        () => `${9000000000000000 + d.int(1e9) * 1000 + d.int(1000)};${d.int(40)}`,
      ).join('\n') +
      '\n',
  );
}
