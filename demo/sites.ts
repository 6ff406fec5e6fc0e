/**
 * The demo's second and third workspace: sites and teams, where folders may break inheritance, and
 * channels with files and guests. With the flaws planted in them, and what only looks like one.
 */
import { cardNumber, grouped, ibanNumber, keyText, prose } from './make.ts';
import { DEPARTMENTS, type Builder, type Flaw, type World } from './builder.ts';

const TEAMS = DEPARTMENTS.filter((d) => d !== 'Management');
const at = (month: number, day: number): string =>
  `2026-${String(month).padStart(2, '0')}-${String(day).padStart(2, '0')}T09:00:00Z`;

export function makeSitesAndChannels(b: Builder, world: World): Flaw[] {
  const { d } = b;
  const flaws: Flaw[] = [];
  const plant = (name: string, items: string[], expected: Flaw['expected']): void => {
    flaws.push({ name, items, expected });
  };
  const cards = (n: number): string =>
    'Card disputes (made up)\n' +
    Array.from({ length: n }, () => `card ${grouped(cardNumber(d))}, claim ${10 + d.int(90)} EUR`).join(
      '\n',
    ) +
    '\n';
  const accounts = (n: number): string =>
    'supplier;bank account (IBAN)\n' +
    Array.from({ length: n }, (_, i) => `supplier ${i + 1};${ibanNumber(d)}`).join('\n') +
    '\n';
  const plain = (space: string, name: string, more: object = {}): string =>
    b.file(space, name, prose(d, name, 5), more);

  // sites
  const head = b.person('Management', 0);
  const site = (name: string, owner: string, more: object = {}): string =>
    b.space(
      {
        workspace: 'sites',
        kind: 'site',
        name,
        visibility: 'members',
        owners: [owner],
        region: 'EU',
        createdAt: at(1, 10),
        lastActivity: { files: at(11, 1 + d.int(18)) },
        ...more,
      },
      'st',
    );
  const intranet = site('Intranet', head, { visibility: 'organisation' });
  b.grant({ space: intranet }, { group: 'g-management' }, 'editor', at(1, 10), head);
  b.fill(intranet, 8, 90, 0.4);
  const manuals = site('Fleet manuals', b.person('Technical', 0), {
    visibility: 'organisation',
    visibilityRole: 'commenter',
  });
  b.grant({ space: manuals }, { group: 'g-technical' }, 'editor', at(1, 11), b.person('Technical', 0));
  b.fill(manuals, 14, 160, 0.3);
  const people = site('People handbook and forms', b.person('People', 0));
  b.grant({ space: people }, { group: 'g-people' }, 'editor', at(1, 12), b.person('People', 0));
  b.fill(people, 6, 60, 0.4);
  const board = site('Board papers', head, { gate: ['g-management'], externalSharing: 'off' });
  b.grant({ space: board }, { group: 'g-all-staff' }, 'reader', at(1, 13), head);
  b.fill(board, 4, 40, 0.4);
  for (const [name, department] of [
    ['Winter docking 2027', 'Technical'],
    ['Pier works Oban', 'Port Operations'],
    ['Summer campaign', 'Sales'],
    ['Galley refit', 'Catering'],
    ['Ticketing change', 'IT'],
  ] as const) {
    const owner = b.person(department, 1);
    const s = site(
      name,
      owner,
      name === 'Pier works Oban' ? { owners: [], lastActivity: { files: at(3, 2) } } : {},
    );
    b.grant({ space: s }, { user: owner }, 'manager', at(2, 1), owner);
    b.grant(
      { space: s },
      { group: `g-${department.toLowerCase().replace(/[^a-z]+/g, '-')}` },
      'editor',
      at(2, 1),
      owner,
    );
    b.fill(s, 5, 45, 0.4);
  }

  // teams: one thing made of a site, a channel and a mailbox, connected to one group
  const parts = new Map<string, { team: string; mailbox: string; channel: string }>();
  for (const name of TEAMS) {
    const owner = b.person(name, 0);
    const group = `g-${name.toLowerCase().replace(/[^a-z]+/g, '-')}`;
    const part = (kind: 'channel' | 'mailbox', label: string): string =>
      b.space(
        {
          workspace: 'sites',
          kind,
          name: `${name} ${label}`,
          visibility: 'members',
          owners: [owner],
          region: 'EU',
          createdAt: at(1, 15),
          lastActivity:
            kind === 'channel' ? { chat: at(11, 18) } : { mail: at(11, 17), calendar: at(11, 15) },
        },
        kind === 'channel' ? 'tc' : 'mb',
      );
    const channel = part('channel', 'conversation');
    const mailbox = part('mailbox', 'mailbox');
    const team = b.space(
      {
        workspace: 'sites',
        kind: 'team',
        name: `${name} team`,
        visibility: 'members',
        owners: [owner],
        parts: [channel, mailbox],
        region: 'EU',
        createdAt: at(1, 15),
        lastActivity: { files: at(11, 10) },
      },
      'tm',
    );
    for (const s of [team, channel, mailbox]) b.grant({ space: s }, { group }, 'editor', at(1, 15), owner);
    b.grant({ space: team }, { user: owner }, 'owner', at(1, 15), owner);
    b.fill(team, 6, 50, 0.4);
    b.fill(channel, 0, 8, 0.5);
    for (let i = 1; i <= 6; i++) plain(mailbox, `Message ${i} about berth times.txt`);
    parts.set(name, { team, mailbox, channel });
  }

  const security = b.file(
    intranet,
    'Vessel security plan, Selkie.txt',
    prose(d, 'Vessel security plan', 20),
    { label: 'restricted' },
  );
  plant('A restricted vessel security plan on a site that the whole organisation sees', [security], {
    dataType: 'label',
    weight: 4,
    now: 'organisation',
    could: 'organisation',
  });

  const payroll = b.folder(people, 'Salary review 2026');
  world.items.find((i) => i.id === payroll)!.inherits = false;
  b.grant({ item: payroll }, { group: 'g-people-leads' }, 'editor', at(4, 1), b.person('People', 0));
  const review = b.file(people, 'Salary review by grade.docx', prose(d, 'Salary review', 12), {
    parent: payroll,
    label: 'restricted',
  });
  b.grant({ space: people }, { group: 'g-crew' }, 'manager', at(5, 6), b.person('People', 1));
  plant(
    'A folder that inherits nothing, reached past the break by a manager grant to a whole department',
    [review],
    {
      dataType: 'label',
      weight: 4,
      now: 'wide',
      could: 'wide',
    },
  );

  const medical = b.folder(people, 'Medical fitness certificates');
  world.items.find((i) => i.id === medical)!.inherits = false;
  b.grant({ item: medical }, { group: 'g-people-leads' }, 'editor', at(3, 3), b.person('People', 0));
  const certificates = [1, 2, 3].map((i) =>
    b.file(people, `Fitness certificates batch ${i}.pdf`, prose(d, 'Fitness certificates', 9), {
      parent: medical,
      label: 'restricted',
    }),
  );
  b.link({
    on: { item: certificates[1]! },
    audience: 'organisation',
    role: 'reader',
    createdBy: b.person('People', 2),
    createdAt: at(6, 9),
    redeemedBy: [{ user: b.person('Crew', 12), at: at(6, 10) }],
  });
  plant('A medical certificate behind a link for the whole organisation', [certificates[1]!], {
    dataType: 'label',
    weight: 4,
    now: 'wide',
    could: 'organisation',
  });
  plant(
    'Medical certificates reached past the break by the same manager grant',
    [certificates[0]!, certificates[2]!],
    {
      dataType: 'label',
      weight: 4,
      now: 'wide',
      could: 'wide',
    },
  );

  const project = world.groups.find((g) => g.id.startsWith('g-project-'))!.id;
  b.addToGroup(project, b.guest('buyer@galley-surplus.test'));
  b.grant(
    { space: parts.get('Catering')!.mailbox },
    { group: project },
    'reader',
    at(5, 20),
    b.person('Catering', 0),
  );
  const supplier = b.file(
    parts.get('Catering')!.mailbox,
    'Supplier accounts for the refit.xlsx',
    `supplier;harbour\nRigging loft;Bergen\n## hidden sheet Accounts\n${accounts(7)}`,
  );
  plant('Supplier accounts in a team’s mailbox, read by a project group with an outsider in it', [supplier], {
    dataType: 'iban',
    weight: 2,
    now: 'outside',
    could: 'outside',
  });

  const berths = b.folder(parts.get('Port Operations')!.team, 'Berth invoices');
  const invoices = b.file(parts.get('Port Operations')!.team, 'Berth invoices to pay.csv', accounts(5), {
    parent: berths,
  });
  b.grant(
    { item: berths },
    { domain: 'fjordport-agents.test' },
    'reader',
    at(7, 2),
    b.person('Port Operations', 3),
  );
  plant('Invoices with accounts, given to a whole domain that only looks like the port agent’s', [invoices], {
    dataType: 'iban',
    weight: 2,
    now: 'outside',
    could: 'outside',
  });

  // these look like flaws and are none
  const closed = site('Claims archive', b.person('Finance', 0), { externalSharing: 'new-guests' });
  b.grant({ space: closed }, { group: 'g-finance-leads' }, 'editor', at(2, 2), b.person('Finance', 0));
  const inert = b.file(closed, 'Old card claims.txt', cards(4));
  b.link({
    on: { item: inert },
    audience: 'anyone',
    role: 'reader',
    createdBy: b.person('Finance', 1),
    createdAt: at(2, 3),
  });
  b.file(board, 'Sale of the Heron Tide.docx', prose(d, 'For the board', 8), { label: 'restricted' });
  const left = world.users.filter((u) => u.active === false).slice(3, 8);
  for (const u of left)
    b.grant(
      { space: site(`Handover of ${String(u.displayName)}`, b.person('People', 3)) },
      { user: u.id },
      'editor',
      at(1, 20),
      b.person('People', 3),
    );

  // channels: who is in one is a member of it; a public one is seen by everybody
  const channel = (name: string, open: boolean, owner: string, members: string[]): string => {
    const id = b.space(
      {
        workspace: 'channels',
        kind: 'channel',
        name,
        visibility: open ? 'organisation' : 'members',
        ...(open && { visibilityRole: 'commenter' as const }),
        owners: [owner],
        createdAt: at(1, 5),
        lastActivity: { chat: at(11, 1 + d.int(18)) },
      },
      'ch',
    );
    for (const m of [owner, ...members.filter((x) => x !== owner)]) {
      const role = m === owner ? 'manager' : 'editor';
      world.grants.push({
        id: `${id}/c-${m}`,
        on: { space: id },
        to: { user: m },
        role,
        grantedAt: at(1, 6),
      });
    }
    return id;
  };
  const some = (department: (typeof TEAMS)[number], n: number): string[] =>
    Array.from({ length: n }, (_, i) => b.person(department, i));
  const general = channel('general', true, head, some('Crew', 20));
  const desk = channel('ops-desk', true, b.person('Port Operations', 0), some('Port Operations', 15));
  const help = channel('it-help', true, b.person('IT', 0), some('IT', 12));
  const yard = channel('yard-selkie', false, b.person('Technical', 0), [
    ...some('Technical', 8),
    b.guest('planning@kelda-yard.example'),
  ]);
  const claims = channel('claims-desk', false, b.person('Finance', 7), some('Finance', 6));
  const drills = channel('security-drills', false, b.person('Safety', 0), some('Safety', 6));
  for (const [c, n] of [
    [general, 40],
    [desk, 60],
    [help, 30],
    [yard, 24],
    [claims, 20],
    [drills, 16],
  ] as const)
    for (let i = 1; i <= n; i++)
      plain(c, `${d.pick(['Photo note', 'Daily log', 'Checklist', 'Update'])} ${i}.txt`);

  const posted = b.file(help, 'signing.key', keyText(d));
  plant('A private key posted in a channel that everybody sees', [posted], {
    dataType: 'private-key',
    weight: 4,
    now: 'organisation',
    could: 'organisation',
  });
  // known to the channels alone: the directory has no such account
  const helper = b.account('channels', 'Casey@claims-helper.test', 'Casey (claims helper)');
  world.grants.push({
    id: `${claims}/c-${helper}`,
    on: { space: claims },
    to: { user: helper },
    role: 'editor',
    grantedAt: at(8, 8),
  });
  const disputes = b.file(claims, 'Disputes of August.eml', cards(6));
  plant('Card disputes in a private channel with a guest whom the directory does not know', [disputes], {
    dataType: 'payment-card',
    weight: 3,
    now: 'outside',
    could: 'outside',
  });
  const drawing = b.file(yard, 'Access points and locks, Selkie.txt', prose(d, 'Access points', 7), {
    label: 'restricted',
  });
  plant('A restricted drawing in a channel that the shipyard’s planner is in', [drawing], {
    dataType: 'label',
    weight: 4,
    now: 'partner',
    could: 'partner',
  });

  // what happens after the first survey
  const notices = world.items.find((i) => i.name === 'Kiosk settlement.pdf')!;
  const kiosk = world.grants.find((g) => 'item' in g.on && g.on.item === notices.parent)!;
  const list = b.file(b.drive('Crew records'), 'Crew next-of-kin list.csv', accounts(3));
  const fresh = {
    id: 'ln90001',
    on: { item: list },
    audience: 'anyone',
    role: 'reader',
    createdBy: b.person('People', 4),
    createdAt: '2026-11-21T15:12:00Z',
  };
  const crew = world.groups.find((g) => g.id === 'g-payroll')!;
  const visible = world.spaces.find((s) => s.id === parts.get('Safety')!.team)!;
  world.later = [
    { kind: 'grants', id: kiosk.id, row: null },
    { kind: 'links', id: fresh.id, row: fresh },
    {
      kind: 'groups',
      id: crew.id,
      row: { ...crew, members: [...crew.members, { value: b.guest('temp@payhelp.test'), type: 'User' }] },
    },
    { kind: 'spaces', id: visible.id, row: { ...visible, visibility: 'organisation' } },
  ];
  return flaws;
}
