/**
 * The demo's past: ten weekly surveys before today, with what people changed in between, two plans that were applied,
 * one that was undone, and findings that were accepted and that came back. It is made once for a data directory, by
 * asking the application as a steward would, while its clock says that it is that week.
 */
import { existsSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import type { World } from './builder.ts';
import { pastEvents, tellPast } from './past-events.ts';
import { OrderStory } from './past-orders.ts';
import { PolicyStory } from './past-policies.ts';

const DAY = 86_400_000;
export const WEEKS = 10;

export interface Control {
  url: string;
  token: string;
}
export interface Stage {
  marker: string;
  /** A JSON file of rows that change today. */
  changes: string;
  /** The file that says by how many milliseconds the application's clock is off. */
  clock: string;
  app: string;
  steward: { address: string; password: string };
  /** Approves what wants it. */
  second: { address: string; password: string };
  control: Control;
  /** By workspace: the secret with which it signs what it tells. */
  telling: Readonly<Record<string, string>>;
  /** By workspace: with what it asks for decisions. */
  deciding: Readonly<Record<string, string>>;
  say: (line: string) => void;
}

type Change = World['later'][number];

/** Makes the changes at the stand-ins. */
export async function makeChanges(changes: readonly Change[], control: Control): Promise<void> {
  for (const { kind, id, row } of changes) {
    const gone = row === null;
    const path = `truth/${kind}${gone ? `/${encodeURIComponent(id)}` : ''}`;
    await asked(control, gone ? 'DELETE' : 'PUT', path, row ?? undefined);
  }
}

/** Asks the control of the simulated workspaces. */
const asked = (control: Control, method: string, path: string, body?: object): Promise<Response> =>
  fetch(`${control.url}/control/${path}`, {
    method,
    headers: { authorization: `Bearer ${control.token}` },
    ...(body && { body: JSON.stringify(body) }),
  });

/** How the workspaces tell what happens. */
export const hear = (
  { control, app, telling }: Pick<Stage, 'control' | 'app' | 'telling'>,
  how: object = {},
): Promise<Response> =>
  asked(control, 'PUT', 'hearing', { url: `${app}/api/events/in`, secrets: telling, ...how });

/** By how many days the world's dates are to be moved, so that it is of today: whole days. */
export const daysSince = (takenAt: string, now = Date.now()): number =>
  Math.floor((now - Date.parse(takenAt)) / DAY);

/** JSON with every time in it moved by whole days. */
export const moved = (json: string, days: number): string =>
  days === 0
    ? json
    : json.replace(/"(\d{4}-\d\d-\d\dT\d\d:\d\d:\d\d(?:\.\d+)?Z)"/g, (_, at: string) =>
        JSON.stringify(new Date(Date.parse(at) + days * DAY).toISOString().replace('.000Z', 'Z')),
      );

/** The application as a steward asks it, at a moment. */
class Steward {
  private headers: Record<string, string>;
  constructor(private readonly stage: Stage) {
    this.headers = { origin: stage.app, 'content-type': 'application/json' };
  }

  /** Signs in when it is a number of days ago. */
  async at(daysAgo: number): Promise<void> {
    writeFileSync(this.stage.clock, JSON.stringify({ offset: -daysAgo * DAY }));
    await this.signIn(this.stage.steward);
  }

  private async signIn(who: Stage['steward']): Promise<void> {
    delete this.headers.cookie;
    const answer = await fetch(`${this.stage.app}/api/session`, {
      method: 'POST',
      headers: this.headers,
      body: JSON.stringify(who),
    });
    this.headers.cookie = answer.headers.get('set-cookie')?.split(';')[0] ?? '';
  }

  /** Does something as the second steward. */
  private async asSecond(work: () => Promise<unknown>): Promise<void> {
    await this.signIn(this.stage.second);
    await work();
    await this.signIn(this.stage.steward);
  }

  async ask<T>(method: 'GET' | 'POST' | 'PUT', path: string, body?: object): Promise<T> {
    const answer = await fetch(this.stage.app + path, {
      method,
      headers: this.headers,
      ...(method !== 'GET' && { body: JSON.stringify(body ?? {}) }),
    });
    if (!answer.ok) throw new Error(`${method} ${path}: ${await answer.text()}`);
    return (await answer.json()) as T;
  }

  async until(what: string, holds: () => Promise<boolean>): Promise<void> {
    for (let k = 0; k < 2400; k++) {
      if (await holds().catch(() => false)) return;
      await new Promise((r) => setTimeout(r, 100));
    }
    throw new Error(`Waited four minutes for ${what}.`);
  }

  async survey(kind: 'full' | 'incremental'): Promise<void> {
    // a standing order may have begun one by itself
    await this.until('a survey to begin', () =>
      this.ask('POST', '/api/surveys', { kind }).then(
        () => true,
        (e: Error) => {
          if (e.message.includes('survey-running')) return false;
          throw e;
        },
      ),
    );
    await this.until('the survey', async () => {
      const { survey } = await this.ask<{ survey: { running: boolean } }>('GET', '/api/course');
      return !survey.running;
    });
  }

  async finding(item: string): Promise<number> {
    const { rows } = await this.ask<{ rows: { id: number; item: string }[] }>(
      'GET',
      '/api/findings?state=all&limit=500',
    );
    const found = rows.find((r) => r.item === item);
    if (!found) throw new Error(`There is no finding of ${item}.`);
    return found.id;
  }

  /** Applies a plan, after the second steward has agreed where it waits for that; resolves when it is at its end. */
  async agreed(id: number, waits: boolean): Promise<void> {
    const one = () => this.ask<{ state: string; survey: number }>('GET', `/api/plans/${id}`);
    const act = (body: object) => this.ask('POST', `/api/plans/${id}`, body);
    const { survey } = await one();
    if (waits) await this.asSecond(() => act({ act: 'decide', approved: true, survey }));
    await act({ act: 'apply' });
    await this.until(`plan ${id}`, async () => (await one()).state === 'applied');
  }

  /** Makes a plan that withdraws some grants and links, applies it, and undoes it where asked. */
  async plan(name: string, reason: string, changes: object[], undo = false): Promise<void> {
    await this.ask('POST', '/api/tray', { changes });
    const { id } = await this.ask<{ id: number }>('POST', '/api/plans', { name, reason });
    const state = async (): Promise<string> =>
      (await this.ask<{ state: string }>('GET', `/api/plans/${id}`)).state;
    const act = (body: object) => this.ask('POST', `/api/plans/${id}`, body);
    const { approval } = await this.ask<{ approval: object | null }>('GET', `/api/plans/${id}`);
    if (approval) await act({ act: 'ask' });
    await this.agreed(id, approval !== null);
    if (!undo) return;
    await act({ act: 'askUndo' });
    await this.asSecond(() => act({ act: 'decideUndo', approved: true }));
    await this.until(`the undo of plan ${id}`, async () => (await state()) === 'undone');
  }
}

/** Rows that somebody made in the last weeks: they are not there before. */
const madeWithin = (world: World, since: number): Change[] =>
  (['grants', 'links'] as const).flatMap((kind) =>
    world[kind].flatMap((row): Change[] => {
      const made = 'grantedAt' in row ? row.grantedAt : 'createdAt' in row ? row.createdAt : undefined;
      return made && Date.parse(made) > since ? [{ kind, id: row.id, row }] : [];
    }),
  );
const madeAt = ({ row }: Change): number =>
  Date.parse(
    (row as { grantedAt?: string; createdAt?: string }).grantedAt ?? (row as { createdAt: string }).createdAt,
  );

export async function makePast(world: World, stage: Stage): Promise<void> {
  if (existsSync(stage.marker)) return;
  const now = Date.now();
  const steward = new Steward(stage);
  const weeksAgo = (n: number): string => new Date(now - n * 7 * DAY - DAY).toISOString();
  const item = (name: string) => world.items.find((i) => i.name === name)!;
  const sale = item('Sale of the Heron Tide.docx');
  const salaries = item('Salary review by grade.docx');
  const link = (id: string, week: number): Change => ({
    kind: 'links',
    id,
    row: {
      id,
      on: { item: sale.id },
      audience: 'anyone',
      role: 'reader',
      createdBy: sale.owner,
      createdAt: weeksAgo(week),
      redeemedBy: [{ email: 'broker@shipfinders.test', at: weeksAgo(week) }],
    },
  });
  const grant: Change = {
    kind: 'grants',
    id: 'gr91001',
    row: {
      id: 'gr91001',
      on: { item: salaries.id },
      to: { email: 'pay@ledgerline.test' },
      role: 'editor',
      grantedBy: salaries.owner,
      grantedAt: weeksAgo(5),
    },
  };
  const withdraw = (c: Change) => ({ kind: c.kind.slice(0, -1), source: 'sites', id: c.id });
  const policies = new PolicyStory(steward, world, { app: stage.app, tokens: stage.deciding });
  const orders = new OrderStory(steward, world, {
    app: stage.app,
    happen: (e) => asked(stage.control, 'POST', 'happen', e),
    letters: async () =>
      (
        (await (await asked(stage.control, 'GET', 'mail')).json()) as {
          letters: { to: string; subject: string; text: string }[];
        }
      ).letters,
    change: (list) => makeChanges(list, stage.control),
  });
  const recent = madeWithin(world, now - WEEKS * 7 * DAY);

  // of what was made in the past nobody is told today
  await hear(stage, { deaf: true });
  stage.say(`Making ${WEEKS} weeks of history (about a minute) …`);
  await makeChanges(
    recent.map((c) => ({ ...c, row: null })),
    stage.control,
  );
  for (let week = WEEKS; week > 0; week--) {
    const days = week * 7;
    await steward.at(days);
    const [from, to] = [now - (days + 7) * DAY, now - days * DAY];
    await makeChanges(
      recent.filter((c) => madeAt(c) <= to && (week === WEEKS || madeAt(c) > from)),
      stage.control,
    );
    if (week === 8) await makeChanges([link('ln91001', 8)], stage.control);
    if (week === 5) await makeChanges([grant], stage.control);
    if (week === 4) await makeChanges([link('ln91002', 4)], stage.control);
    if (week === WEEKS) {
      await steward.survey('full');
      await orders.begin();
    } else {
      await orders.share(week, now);
      await steward.survey('incremental');
      await orders.answer(week);
    }
    if (week === 6)
      await steward.plan('Close the link to the sale', 'The broker has what they need.', [
        withdraw(link('ln91001', 8)),
      ]);
    if (week === 5) {
      const id = await steward.finding(item('signing.key').id);
      await steward.ask('POST', '/api/findings/triage', {
        findings: [id],
        decision: {
          act: 'accept',
          until: weeksAgo(3).slice(0, 10),
          reason: 'IT moves the key to the vault by then.',
        },
      });
    }
    if (week === 3)
      await steward.plan('Close what is shared from People', 'Neither firm works for us.', [
        withdraw(link('ln91002', 4)),
        withdraw(grant),
      ]);
    if (week === 2) {
      const yard = world.grants.find(
        (g) =>
          'group' in g.to &&
          'item' in g.on &&
          world.items.find((i) => i.id === (g.on as { item: string }).item)?.name === 'For the yard',
      );
      if (yard)
        await steward.plan(
          'Close the yard’s folder',
          'Undone: the yard still fits the new locks.',
          [{ kind: 'grant', source: 'drives', id: yard.id }],
          true,
        );
    }
    await policies.week(week);
    stage.say(`  ${week === 1 ? 'a week' : `${week} weeks`} ago`);
  }
  rmSync(stage.clock, { force: true });
  await steward.at(0);
  rmSync(stage.clock, { force: true });
  await steward.ask('PUT', '/api/schedule', {
    zone: 'Europe/Oslo',
    full: 'FREQ=WEEKLY;BYDAY=MO;BYHOUR=5',
    incremental: 'FREQ=DAILY;BYHOUR=5',
  });
  await orders.settled();
  await makeChanges(JSON.parse(readFileSync(stage.changes, 'utf8')) as World['later'], stage.control);
  await steward.survey('incremental');
  await hear(stage, { hold: true, deaf: false });
  await tellPast(
    steward,
    (e) => asked(stage.control, 'POST', 'happen', e),
    pastEvents(world, Date.now()),
    () => hear(stage, { hold: false }),
  );
  await orders.ask();
  writeFileSync(stage.marker, '');
}
