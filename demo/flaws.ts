/**
 * The flaws planted in the demo's world, each with what a survey must find. Nothing else in the
 * world is exposed beyond what its weight allows: a test holds both.
 */
import type { Tier } from '../src/core/model.ts';
import { cardNumber, grouped, ibanNumber, keyText } from './make.ts';
import type { Builder, Flaw } from './builder.ts';

export function plantFlaws(b: Builder): Flaw[] {
  const { d } = b;
  const flaws: Flaw[] = [];
  const plant = (
    name: string,
    items: string[],
    dataType: string,
    weight: number,
    now: Tier,
    could: Tier,
  ): void => {
    flaws.push({ name, items, expected: { dataType, weight, now, could } });
  };
  const cards = (n: number): string =>
    'Customer card disputes (made up)\n' +
    Array.from(
      { length: n },
      () =>
        `card ${grouped(cardNumber(d))}, exp 0${1 + d.int(9)}/2${8 + d.int(2)}, claim ${10 + d.int(300)} EUR`,
    ).join('\n') +
    '\n';
  const accounts = (n: number): string =>
    'employee;bank account (IBAN)\n' +
    Array.from({ length: n }, (_, i) => `crew ${i + 1};${ibanNumber(d)}`).join('\n') +
    '\n';

  const disputes = b.drive('Card disputes');
  const evidence = b.folder(disputes, 'Evidence for the bank');
  const evidenceFiles = [1, 2, 3].map((i) =>
    b.file(disputes, `Dispute evidence ${i}.docx`, cards(6 + i), { parent: evidence }),
  );
  b.link({
    on: { item: evidence },
    audience: 'anyone',
    role: 'reader',
    createdBy: b.person('Sales', 2),
    createdAt: '2026-01-14T13:20:00Z',
    lastUsedAt: '2026-10-30T19:12:00Z',
    redeemedBy: [
      { email: 'kim@quickclaims.test', at: '2026-01-15T09:00:00Z' },
      { email: 'jo@quickclaims.test', at: '2026-03-02T09:00:00Z' },
    ],
  });
  plant(
    'A folder of card disputes behind a link for anyone, opened by an unknown firm',
    evidenceFiles,
    'payment-card',
    3,
    'outside',
    'public',
  );

  const payroll = b.drive('Payroll');
  const all = b.file(payroll, 'Crew bank accounts 2026.xlsx', accounts(160), {
    owner: b.person('Finance', 2),
    label: 'confidential',
  });
  b.grant(
    { item: all },
    { email: 'temp.payroll@payhelp.test' },
    'editor',
    '2026-11-05T11:00:00Z',
    b.person('Finance', 2),
  );
  plant(
    'All crew accounts given, with editing, to a temporary helper’s address',
    [all],
    'iban',
    3,
    'outside',
    'outside',
  );

  const systems = b.drive('Vessel systems');
  const key = b.file(systems, 'bridge-vpn.key', keyText(d));
  b.grant({ item: key }, { group: 'g-all-staff' }, 'reader', '2026-05-20T07:45:00Z', b.person('IT', 1));
  plant(
    'A private key readable by all staff through two nested groups',
    [key],
    'private-key',
    4,
    'organisation',
    'organisation',
  );

  const yardKeys = b.folder(systems, 'For the yard');
  const yardFiles = [
    b.file(systems, 'gangway-door.pem', keyText(d), { parent: yardKeys }),
    b.file(systems, 'ballast-controller.ppk', undefined, { parent: yardKeys }),
  ];
  b.grant(
    { item: yardKeys },
    { group: 'g-partner-yard' },
    'reader',
    '2025-11-02T10:00:00Z',
    b.person('IT', 2),
  );
  plant(
    'Keys in a folder that the shipyard opens; one is known by its name alone',
    yardFiles,
    'private-key',
    4,
    'partner',
    'partner',
  );

  const planner = b.person('Crew', 3);
  const pursers = b.file(b.personalDrive(planner), 'On-board card payments to fix.html', cards(4), {
    owner: planner,
  });
  b.grant({ item: pursers }, { group: 'g-port-leads' }, 'reader', '2026-04-11T16:00:00Z', planner);
  b.addToGroup('g-shift-planners', b.guest('rota@shiftwise.test'));
  plant(
    'A guest who sits in one of two groups that contain each other',
    [pursers],
    'payment-card',
    3,
    'outside',
    'outside',
  );

  const sales = b.drive('Reseller sales');
  const refunds = b.folder(sales, 'Refunds');
  const refundFile = b.file(sales, 'Refunds by card.csv', cards(12), { parent: refunds });
  b.grant(
    { item: refunds },
    { domain: 'ticketcove-refunds.test' },
    'reader',
    '2026-10-28T12:00:00Z',
    b.person('Sales', 4),
  );
  plant(
    'A folder given to a whole domain that only looks like a partner’s',
    [refundFile],
    'payment-card',
    3,
    'outside',
    'outside',
  );

  const notes = b.file(b.personalDrive(b.person('Sales', 9)), 'Callback list.rtf', cards(3), {
    owner: b.person('Sales', 9),
  });
  b.link({
    on: { item: notes },
    audience: 'organisation',
    role: 'editor',
    createdBy: b.person('Sales', 9),
    createdAt: '2026-07-01T08:00:00Z',
  });
  plant(
    'Cards behind a link for the whole organisation that nobody has followed yet',
    [notes],
    'payment-card',
    3,
    'sole',
    'organisation',
  );

  const pier = b.folder(b.drive('Company notices'), 'Pier kiosk');
  const kiosk = b.file(b.drive('Company notices'), 'Kiosk settlement.pdf', cards(2), { parent: pier });
  b.grant({ item: pier }, { anyone: true }, 'reader', '2024-12-01T08:00:00Z', b.person('Sales', 0));
  plant('A folder granted to anyone at all', [kiosk], 'payment-card', 3, 'public', 'public');

  const own = b.person('Technical', 5);
  const loan = b.file(
    b.personalDrive(own),
    'House loan.odt',
    `For the bank: please transfer to account ${ibanNumber(d)}.\n`,
    { owner: own },
  );
  b.link({
    on: { item: loan },
    audience: 'anyone',
    role: 'reader',
    createdBy: own,
    createdAt: '2026-09-21T20:00:00Z',
  });
  plant('A private account number behind a link for anyone', [loan], 'iban', 2, 'sole', 'public');

  const agentsPay = b.file(b.drive('Port agents'), 'Agents’ accounts.csv', accounts(9));
  b.link({
    on: { item: agentsPay },
    audience: 'named',
    role: 'commenter',
    recipients: [{ email: 'Ledger@Harbourcount.test' }, { user: b.person('Finance', 4) }],
    createdBy: b.person('Port Operations', 2),
    createdAt: '2026-11-12T14:00:00Z',
  });
  plant(
    'Accounts sent by a named link to an unknown bookkeeper and a colleague',
    [agentsPay],
    'iban',
    2,
    'outside',
    'outside',
  );

  const study = b.drive('New route study');
  const deposit = b.file(
    study,
    'Deposit account for the new pier.pptx',
    `The new pier\nTimes and costs\n## notes\nEscrow account: ${ibanNumber(d)}\nNot to be told before the announcement.\n`,
    { label: 'restricted' },
  );
  b.grant(
    { item: deposit },
    { user: b.guest('mergers@northquay-advisers.test') },
    'reader',
    '2026-10-02T09:30:00Z',
    b.person('Management', 1),
  );
  plant(
    'A restricted file about the unannounced route, open to an adviser’s guest account',
    [deposit],
    'iban',
    4,
    'outside',
    'outside',
  );

  const drive = b.drive('Passenger lists');
  const refundList = b.file(drive, 'Cancelled sailing refunds.xlsx', cards(5));
  b.grant(
    { space: drive },
    { user: b.guest('duty.manager@hullmark.example') },
    'reader',
    '2026-03-19T15:00:00Z',
    b.person('Safety', 0),
  );
  plant(
    'Cards in a drive that was opened as a whole to a partner’s surveyor',
    [refundList],
    'payment-card',
    3,
    'partner',
    'partner',
  );
  return flaws;
}
