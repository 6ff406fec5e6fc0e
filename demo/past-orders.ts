/**
 * What standing orders did in the demo's past: people shared things, were asked, answered or did not, and what they shared was
 * withdrawn after some weeks. Every grant and link of it is made here.
 */
import { ORDER_STARTERS } from '../src/core/orders/starters.ts';
import type { AnswerName, Order } from '../src/core/orders/schema.ts';
import type { ItemRow } from '../src/core/model.ts';
import type { World } from './builder.ts';
import type { Asker } from './past-policies.ts';

type Change = World['later'][number];

const DAY = 86_400_000;
const HOUR = 3_600_000;

/** The stand-ins and the application as nobody in particular asks them. */
export interface Doors {
  app: string;
  happen(e: object): Promise<unknown>;
  letters(): Promise<{ to: string; subject: string; text: string }[]>;
  change(list: Change[]): Promise<unknown>;
}

const starter = (name: string, more: Partial<Order> = {}): Order => ({
  ...ORDER_STARTERS.find((s) => s.name === name)!,
  ...more,
});
const ASKED = 'A link for anyone on a heavy file';

/** What is shared in which week, by the number of whoever owns it, and what they answer. */
const STORY: readonly {
  week: number;
  who: number;
  how: string;
  answer?: AnswerName;
  reason?: string;
}[] = [
  { week: 9, who: 0, how: 'anyone', answer: 'undo' },
  { week: 9, who: 1, how: 'orders@northquay-surveyors.test' },
  { week: 8, who: 2, how: 'anyone' },
  { week: 7, who: 0, how: 'anyone', answer: 'reason', reason: 'It was agreed with a customer or partner' },
  { week: 7, who: 3, how: 'desk@saltbridge-hotels.test' },
  { week: 6, who: 4, how: 'anyone', answer: 'undo' },
  { week: 5, who: 2, how: 'anyone', answer: 'undo' },
  { week: 4, who: 5, how: 'anyone', answer: 'not-me' },
  { week: 3, who: 1, how: 'berths@saltbridge-hotels.test' },
  { week: 2, who: 6, how: 'anyone', answer: 'reason', reason: 'A supplier needs it for their work' },
  { week: 1, who: 3, how: 'anyone' },
];

export class OrderStory {
  private readonly owned: ItemRow[][];

  constructor(
    private readonly steward: Asker,
    world: World,
    private readonly doors: Doors,
  ) {
    const drives = new Set(world.spaces.filter((s) => s.workspace === 'drives').map((s) => s.id));
    const people = world.users.filter((u) => u.active !== false);
    const departments = new Map(
      people.map((u) => [
        u.id,
        (
          u['urn:ietf:params:scim:schemas:extension:enterprise:2.0:User'] as
            { department?: string } | undefined
        )?.department,
      ]),
    );
    const files = new Map<string, ItemRow[]>();
    for (const i of world.items)
      if (i.kind === 'file' && i.owner && drives.has(i.space) && !i.held && !i.binned)
        files.set(i.owner, [...(files.get(i.owner) ?? []), i]);
    const of = (department: string): ItemRow[][] =>
      [...files].flatMap(([owner, list]) =>
        departments.get(owner) === department && list.length > 2 ? [list] : [],
      );
    const [sales, technical, crew] = [of('Sales'), of('Technical'), of('Crew')];
    this.owned = [technical[0], sales[0], sales[1], sales[2], crew[0], technical[1], crew[1]].map(
      (list) => list ?? [...files.values()][0]!,
    );
  }

  /** The orders, made before anything happens. */
  async begin(): Promise<void> {
    for (const order of [
      starter(ASKED, { if: 'target == "anyone" && type == "link.made"' }),
      starter('Shared outside by some groups: four weeks', {
        name: 'Shared outside by Sales: four weeks',
        purpose: 'What Sales shares outside is withdrawn after four weeks, if it still is shared by then.',
        if: 'outside && target != "anyone" && groups.exists(g, g == "Sales")',
      }),
      starter('Much shared outside at once'),
      starter('First share with a domain'),
      starter('A key in a channel', {
        if: 'extension in ["pem", "key", "ppk", "pfx", "p12", "jks", "kdbx"]',
      }),
    ])
      await this.steward.ask('POST', '/api/orders', { order });
    const all = { workspaces: [], types: [], gathered: false };
    await this.steward.ask('PUT', '/api/messages/alerts', {
      rules: [
        { ...all, kinds: ['signal', 'run', 'approval'], from: 'high', to: [{ stewards: true }] },
        {
          ...all,
          kinds: ['hit'],
          from: 'medium',
          types: ['Birth number (Norway)'],
          to: [{ address: 'counsellor@tarntide.example' }],
          gathered: true,
        },
      ],
    });
  }

  /** What owners are asked now, once the present is surveyed. */
  async ask(): Promise<void> {
    for (const round of [
      {
        name: 'Links and shares before the winter timetable',
        kind: 'shares',
        where: 'kind != "personal-drive"',
        note: 'We tidy up before the winter timetable. Keep what somebody outside still works with.',
      },
      { name: 'Guests, twice a year', kind: 'guests', where: 'external > 0', weeks: 2 },
      { name: 'Is it still needed?', kind: 'needed', where: 'dormant && kind == "site"' },
    ])
      await this.steward.ask('POST', '/api/rounds', { round });
    // what stewards know themselves of what some spaces are for
    const { rows } = await this.steward.ask<{
      rows: { key: string; name: string; kind: string }[];
    }>('GET', '/api/spaces?of=charters&sort=name&limit=500');
    for (const [purpose, sensitivity, of] of [
      ['team', 'open', (s) => s.kind === 'team' && s.name < 'M'],
      ['project', 'open', (s) => ['Galley refit', 'Summer campaign', 'Ticketing change'].includes(s.name)],
      ['team', 'internal', (s) => s.kind === 'channel'],
      ['reference', 'confidential', (s) => ['Board papers', 'People handbook and forms'].includes(s.name)],
    ] satisfies [string, string, (s: { name: string; kind: string }) => boolean][]) {
      const spaces = rows.filter(of).map((s) => s.key);
      if (spaces.length)
        await this.steward.ask('POST', '/api/spaces', {
          does: { act: 'charter', spaces, charter: { purpose, sensitivity } },
        });
    }
  }

  /** What people share so many weeks ago: it is told, and then surveyed. `now`: the present. */
  async share(week: number, now: number): Promise<void> {
    const at = now - week * 7 * DAY - 3 * HOUR;
    const mine = STORY.filter((s) => s.week === week);
    for (const [n, { who, how }] of mine.entries()) {
      const file = this.owned[who]![(week + n) % this.owned[who]!.length]!;
      const id = `${how === 'anyone' ? 'ln' : 'gr'}92${String(week).padStart(2, '0')}${n}`;
      const time = new Date(at + n * 20 * 60_000).toISOString();
      const row =
        how === 'anyone'
          ? {
              id,
              on: { item: file.id },
              audience: 'anyone',
              role: 'reader',
              createdBy: file.owner,
              createdAt: time,
            }
          : {
              id,
              on: { item: file.id },
              to: { email: how },
              role: 'reader',
              grantedBy: file.owner,
              grantedAt: time,
            };
      await this.doors.change([{ kind: how === 'anyone' ? 'links' : 'grants', id, row }]);
      await this.doors.happen({
        workspace: 'drives',
        type: how === 'anyone' ? 'link.made' : 'grant.made',
        subject: file.id,
        data: {
          user: file.owner,
          target: how === 'anyone' ? { anyone: true } : { email: how },
          role: 'reader',
        },
        time,
      });
    }
    if (!mine.length) return;
    const asked = mine.filter((s) => s.how === 'anyone').length;
    const before = STORY.filter((s) => s.week > week && s.how === 'anyone').length;
    await this.steward.until('people to be asked', async () => {
      return (await this.questions()).length >= before + asked;
    });
  }

  private async questions(): Promise<{ text: string }[]> {
    return (await this.doors.letters()).filter((l) => l.subject.startsWith('Why is'));
  }

  /** What those answer who were asked in a week. */
  async answer(week: number): Promise<void> {
    const before = STORY.filter((s) => s.week > week && s.how === 'anyone').length;
    const letters = (await this.questions()).slice(before);
    for (const [n, { answer, reason }] of STORY.filter(
      (s) => s.week === week && s.how === 'anyone',
    ).entries()) {
      const link = /\/answer#(\S+)/.exec(letters[n]?.text ?? '')?.[1];
      if (!answer || !link) continue;
      const given = await fetch(`${this.doors.app}/api/answers/link`, {
        method: 'PUT',
        headers: { origin: this.doors.app, 'content-type': 'application/json' },
        body: JSON.stringify({ link, what: answer, ...(reason && { reason }) }),
      });
      if (!given.ok) throw new Error(`An answer was refused: ${await given.text()}`);
      await given.body?.cancel();
    }
  }

  /** Resolves when no run has anything to do now. */
  async settled(): Promise<void> {
    await this.steward.until('runs to come to rest', async () => {
      const { rows } = await this.steward.ask<{ rows: { state: string }[] }>(
        'GET',
        '/api/orders/runs?show=under-way&limit=200',
      );
      return rows.every((r) => r.state === 'waiting' || r.state === 'asked');
    });
  }
}
