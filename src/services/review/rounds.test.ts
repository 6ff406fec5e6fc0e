/** Rounds with a clock of the test's own, over an organisation of a few people that is not surveyed. */
import { afterEach, describe, expect, it } from 'vitest';
import { ownDb } from '../../../tests/own-db.ts';
import { ownOrders } from '../../../tests/own-orders.ts';
import { madeThing } from '../../../tests/review.ts';
import { roundSchema, type RoundInput } from '../../core/ask/kinds.ts';
import type { Order } from '../../core/orders/schema.ts';
import type { Asked, SpaceToAsk } from '../../dto/review.ts';
import { readCharters } from '../../engine/charters.ts';
import type { OpenDb } from '../../store/db.ts';
import { Rounds } from './rounds.ts';

const DAY = 86_400_000;
const START = Date.parse('2026-03-02T09:00:00Z');
let db: OpenDb;
let now = START;
ownDb((own) => void (db = own));

const person = (name: string): Asked => ({ key: `user:${name}`, address: `${name}@tarntide.example`, name });
interface Space {
  owners: string[];
  things: string[];
  points?: number;
}

/** What a plan was asked to do, of each hit. */
let responded: string[][] = [];
afterEach(async () => {
  now = START;
  responded = [];
  for (const t of ['message', 'question_thing', 'question_person', 'question', 'round_person', 'round'])
    await db.query(`delete from ${t}`);
});

/** An application over some spaces, whose people report to `boss`. */
async function begun(spaces: Record<string, Space>, gone = new Set<string>()) {
  const app = await ownOrders(db, () => new Date(now), []);
  const of = (key: string): Space => spaces[key.slice('space:'.length)]!;
  const there = (names: string[]): Asked[] => names.filter((n) => !gone.has(n)).map(person);
  const who = (s: Space): Asked[] => (there(s.owners).length ? there(s.owners) : there(['boss']));
  Object.assign(app.ask, {
    spacesToAsk: () =>
      Promise.resolve(
        Object.entries(spaces).map(([name, s]): SpaceToAsk => ({
          key: `space:${name}`,
          name,
          workspace: 'drives',
          department: 'Finance',
          asked: who(s),
          n: s.things.length,
          points: s.points ?? 0,
        })),
      ),
    thingsToAsk: (_: unknown, __: unknown, key: string) => Promise.resolve(of(key).things.map(madeThing)),
    whoIsAsked: (_: unknown, __: unknown, key: string) => Promise.resolve(who(of(key))),
    managersOf: () => Promise.resolve(there(['boss'])),
    stillThere: (_: unknown, keys: string[]) =>
      Promise.resolve(keys.filter((k) => !gone.has(k.slice('user:'.length)))),
    respond: (
      _: unknown,
      policy: { rules: { id: string; responses: { do: string }[] }[] },
      hits: { rule: string; key: string }[],
    ) => {
      responded.push(
        hits.map((h) => `${policy.rules.find((r) => r.id === h.rule)!.responses[0]!.do} ${h.key}`),
      );
      return Promise.resolve({
        parts: hits.map(() => [{ do: 'withdraw', how: 'nothing' }]),
        byHit: hits.map(() => []),
        goals: [],
      });
    },
  });
  // whoever is told of another survey
  const subscribed: (() => Promise<void>)[] = [];
  Object.assign(app.parts.present, { subscribe: (f: () => Promise<void>) => void subscribed.push(f) });
  const rounds = new Rounds(app.parts);
  return {
    rounds,
    orders: app.orders,
    ask: app.ask,
    begin: async (more: Partial<RoundInput> = {}) =>
      (
        await rounds.begin(
          roundSchema.parse({ name: 'Links 2026', kind: 'shares', where: 'true', ...more }),
          'ada@x',
        )
      ).id,
    /** Goes on to so many days after the start. */
    day: async (n: number): Promise<void> => {
      now = START + n * DAY;
      await app.look();
    },
    look: app.look,
    surveyed: async (): Promise<void> => {
      for (const f of subscribed) await f();
      await app.look();
    },
    close: async () => {
      rounds.asking.close();
      await app.close();
    },
  };
}
/** What was sent so far: to whom, and as what. */
const letters = async (): Promise<string[]> =>
  (
    await db.query<{ recipient: string; subject: string }>(
      'select recipient, subject from message order by id',
    )
  ).map(
    (m) => `${m.recipient.split('@')[0]}: ${m.subject.split(':')[0] === 'Reminder' ? 'reminder' : 'asked'}`,
  );
const desk = { address: 'ola@tarntide.example' };
const first = async (rounds: Rounds, whose = desk) => (await rounds.desk.list(whose)).questions[0]!;

describe('a question that nobody answers', () => {
  it('is reminded of, passed on, reminded of again, and in the end comes to what silence means, each once', async () => {
    let app = await begun({ s: { owners: ['ola', 'kim'], things: ['link:drives:1', 'link:drives:2'] } });
    const id = await app.begin({ silence: 'remove' });
    const seen: [number, string[]][] = [];
    let n = 0;
    for (let day = 0; day <= 30; day++) {
      await app.day(day);
      await app.day(day + 0.01);
      // ended and begun anew: nothing is told twice
      if (day % 6 === 5) {
        await app.close();
        app = await begun({ s: { owners: ['ola', 'kim'], things: ['link:drives:1', 'link:drives:2'] } });
      }
      const all = await letters();
      if (all.length > n) seen.push([day, all.slice(n)]);
      n = all.length;
    }
    expect(seen).toEqual([
      [0, ['ola: asked', 'kim: asked']],
      [7, ['ola: reminder', 'kim: reminder']],
      [12, ['ola: reminder', 'kim: reminder']],
      [14, ['boss: asked']],
      [19, ['ola: reminder', 'kim: reminder', 'boss: reminder']],
    ]);
    expect(responded).toEqual([['withdraw link:drives:1', 'withdraw link:drives:2']]);
    expect(await app.rounds.one(id)).toMatchObject({
      state: 'over',
      things: 2,
      answered: 2,
      removed: 2,
      done: 1,
    });
    await app.close();
  });

  it.each([
    ['keep', 2, 0],
    ['stewards', 0, 0],
  ] as const)('with silence that means %s removes nothing', async (silence, answered, removed) => {
    const app = await begun({ s: { owners: ['ola'], things: ['link:drives:1', 'link:drives:2'] } });
    const id = await app.begin({ silence, next: 'nobody' });
    await app.day(0);
    await app.day(15);
    expect(await app.rounds.one(id)).toMatchObject({ state: 'over', answered, removed });
    expect(responded).toEqual([]);
    // stewards answer for them all the same
    if (silence === 'stewards') {
      const { questions } = await app.rounds.one(id);
      await app.rounds.answerFor(
        id,
        [questions[0]!.id],
        { what: 'remove', reason: 'Nobody knows them' },
        'ada@x',
      );
      await app.day(16);
      expect(await app.rounds.one(id)).toMatchObject({ answered: 2, removed: 2 });
    }
    await app.close();
  });
});

describe('whoever is asked', () => {
  it('is asked about no more at once than they can bear, and about the rest when that is answered', async () => {
    const things = (s: string) => Array.from({ length: 6 }, (_, k) => `link:drives:${s}${k}`);
    const app = await begun({
      much: { owners: ['ola'], things: things('a'), points: 5 },
      more: { owners: ['ola'], things: things('b'), points: 1 },
    });
    await app.begin({ most: 10 });
    await app.day(0);
    const open = async () => (await app.rounds.desk.list(desk)).questions.filter((q) => q.state === 'open');
    expect((await open()).map((q) => q.space)).toEqual(['much']);
    // a week later it is still too much
    await app.day(8);
    expect((await open()).map((q) => q.space)).toEqual(['much']);
    const given = things('a').map((_, n) => ({ n, what: 'keep' as const }));
    await app.rounds.desk.put(desk, { id: (await first(app.rounds)).id, given, send: true });
    await app.day(10);
    expect((await open()).map((q) => q.space)).toEqual(['more']);
    await app.close();
  });

  it('decides where they are first; of two at once one is, and the other sees who', async () => {
    const app = await begun({ s: { owners: ['ola', 'kim'], things: ['link:drives:1', 'link:drives:2'] } });
    await app.begin();
    await app.day(0);
    const { id } = await first(app.rounds);
    const kim = { address: 'kim@tarntide.example' };
    const give = (whose: typeof desk, what: 'keep' | 'remove', numbers: number[]) =>
      app.rounds.desk.put(whose, { id, given: numbers.map((n) => ({ n, what })), send: true });
    await Promise.all([give(desk, 'remove', [0]), give(kim, 'keep', [0])]);
    const [mine, theirs] = await Promise.all([desk, kim].map((w) => app.rounds.desk.page(w, id)));
    const [a, b] = [mine!.list[0]!.answer!, theirs!.list[0]!.answer!];
    expect(a.what).toBe(b.what);
    expect([a.by, b.by].sort()).toEqual(a.by === 'you' ? ['ola', 'you'] : ['kim', 'you']);
    // the question goes on until everything has an answer, and takes none after that
    await give(kim, 'keep', [1]);
    await expect(give(desk, 'remove', [0, 1])).rejects.toThrow('over');
    expect((await app.rounds.desk.page(desk, id)).list[1]!.answer).toMatchObject({ what: 'keep', by: 'kim' });
    await app.close();
  });

  it('is somebody else when they have left, and that is whoever owns it by then, or answers for them', async () => {
    const gone = new Set<string>();
    const spaces = { s: { owners: ['ola'], things: ['link:drives:1'] } };
    const app = await begun(spaces, gone);
    const id = await app.begin();
    await app.day(0);
    gone.add('ola');
    await app.surveyed();
    expect((await app.rounds.one(id)).questions[0]!.asked).toEqual(['ola', 'boss']);
    gone.add('boss');
    spaces.s.owners = ['ola', 'kim'];
    await app.surveyed();
    expect((await app.rounds.one(id)).questions[0]!.asked).toEqual(['ola', 'boss', 'kim']);
    expect(await letters()).toEqual(['ola: asked', 'boss: asked', 'kim: asked']);
    await app.close();
  });

  it('finds what they had chosen and not sent, and nobody else does', async () => {
    const app = await begun({ s: { owners: ['ola', 'kim'], things: ['link:drives:1', 'link:drives:2'] } });
    await app.begin();
    await app.day(0);
    const { id } = await first(app.rounds);
    await app.rounds.desk.put(desk, {
      id,
      given: [{ n: 1, what: 'until', until: '2026-05-01' }],
      send: false,
    });
    expect((await app.rounds.desk.page(desk, id)).list.map((t) => t.draft)).toEqual([
      null,
      { what: 'until', until: '2026-05-01' },
    ]);
    const kim = await app.rounds.desk.page({ address: 'kim@tarntide.example' }, id);
    expect(kim.list.map((t) => t.draft)).toEqual([null, null]);
    expect(kim.answered).toBe(0);
    const theirs = { address: 'kim@tarntide.example' };
    await app.rounds.desk.put(theirs, { id, given: [{ n: 1, what: 'remove' }], send: false });
    expect((await app.rounds.desk.page(theirs, id)).list[1]!.draft).toEqual({ what: 'remove', until: null });
    expect((await app.rounds.desk.page(desk, id)).list[1]!.draft).toMatchObject({ what: 'until' });
    await app.close();
  });

  it('can answer nothing that they are not asked, nothing that cannot be answered, and nothing of a round that was ended', async () => {
    const app = await begun({
      s: { owners: ['ola'], things: ['user:1'] },
      t: { owners: ['kim'], things: ['user:2'] },
    });
    const id = await app.begin({ kind: 'members' });
    await app.day(0);
    const theirs = await first(app.rounds, { address: 'kim@tarntide.example' });
    const put = (q: number, what: 'keep' | 'until') =>
      app.rounds.desk.put(desk, { id: q, given: [{ n: 0, what, until: '2026-05-01' }], send: true });
    await expect(put(theirs.id, 'keep')).rejects.toThrow('not asked this');
    await expect(put((await first(app.rounds)).id, 'until')).rejects.toThrow('cannot be answered');
    await app.rounds.end(id, 'ada@x');
    await expect(put(theirs.id, 'keep')).rejects.toThrow('not asked this');
    expect((await app.rounds.desk.list(desk)).questions).toEqual([]);
    await app.close();
  });
});

describe('a question about a space itself', () => {
  const itself = (owners: string[]) => ({ s: { owners, things: ['space:s'] } });

  it('keeps it for as long again as it may lie idle, or until the day that is said', async () => {
    const app = await begun(itself(['ola']));
    await app.begin({ kind: 'needed' });
    await app.day(0);
    await app.rounds.desk.put(desk, {
      id: (await first(app.rounds)).id,
      given: [{ n: 0, what: 'keep' }],
      send: true,
    });
    const kept = () =>
      db.query<{ space: string; until: string; by: string }>(
        'select space, until::text as until, by from space_kept',
      );
    expect(await kept()).toEqual([{ space: 's', until: '2026-05-31', by: desk.address }]);
    await app.begin({ kind: 'needed' });
    await app.day(1);
    await app.rounds.desk.put(desk, {
      id: (await first(app.rounds)).id,
      given: [{ n: 0, what: 'until', until: '2027-01-31' }],
      send: true,
    });
    expect((await kept())[0]!.until).toBe('2027-01-31');
    expect(responded).toEqual([]);
    await db.query('delete from space_kept');
    await app.close();
  });

  it('is put to those who may own it one after another, and to stewards when they are through', async () => {
    const app = await begun(itself(['ola', 'kim', 'per']));
    const id = await app.begin({ kind: 'owner', days: 10, nextDays: 5, next: 'nobody' });
    await app.day(0);
    const asked = async () => (await app.rounds.one(id)).questions[0]!.asked;
    expect(await asked()).toEqual(['ola']);
    // no, and at once the next is asked
    const question = (await first(app.rounds)).id;
    await app.rounds.desk.put(desk, { id: question, given: [{ n: 0, what: 'decline' }], send: true });
    await app.day(1);
    expect(await asked()).toEqual(['ola', 'kim']);
    await expect(
      app.rounds.desk.put(desk, { id: question, given: [{ n: 0, what: 'own' }], send: true }),
    ).rejects.toThrow('over');
    // silence, and the last is asked
    await app.day(7);
    expect(await asked()).toEqual(['ola', 'kim', 'per']);
    await app.rounds.desk.put(
      { address: 'per@tarntide.example' },
      { id: question, given: [{ n: 0, what: 'own' }], send: true },
    );
    await app.day(8);
    expect(responded).toEqual([['make-owner space:s']]);
    expect(await app.rounds.one(id)).toMatchObject({ state: 'over', answered: 1 });
    expect((await letters()).filter((l) => !l.includes('reminder'))).toEqual([
      'ola: asked',
      'kim: asked',
      'per: asked',
    ]);
    await app.close();
  });

  it('has their wish asked first, where whoever owned it has said one', async () => {
    const app = await begun({ s: { owners: ['ola'], things: ['space:s'] } });
    Object.assign(app.ask, {
      peopleNamed: (_: unknown, [address]: string[]) =>
        Promise.resolve(address === 'kim@tarntide.example' ? [person('kim')] : []),
    });
    await app.begin({ kind: 'needed' });
    await app.day(0);
    const { id } = await first(app.rounds);
    const give = (named: string) =>
      app.rounds.desk.put(desk, { id, given: [{ n: 0, what: 'keep', person: named }], send: true });
    await expect(give('nobody@tarntide.example')).rejects.toThrow('Nobody in the organisation');
    await give('kim@tarntide.example');
    expect((await readCharters(db)).wishes.get('s')).toEqual({ person: 'kim', by: 'ola' });
    await db.query('delete from space_wish');
    await app.close();
  });

  it('is asked in the rhythm of a sensitivity, and not before it is time again', async () => {
    const app = await begun({ s: { owners: ['ola'], things: ['user:1'] } });
    await db.transaction((tx) =>
      app.rounds.charters.give(tx, ['space:s'], { purpose: 'team', sensitivity: 'confidential' }, 'ada@x', {
        how: 'hand',
        reason: '',
      }),
    );
    await app.rounds.start();
    const begunOn: number[] = [];
    let n = 0;
    for (let day = 0; day <= 190; day += 2) {
      await app.day(day);
      const all = await app.rounds.list();
      if (all.length > n) begunOn.push(day);
      n = all.length;
    }
    // quarterly: three months after it was given, and three months after it was asked
    expect(begunOn).toEqual([92, 184]);
    expect((await app.rounds.list())[0]!.round).toMatchObject({ kind: 'members', spaces: ['space:s'] });
    await db.query('delete from charter');
    await app.close();
  });
});

describe('a standing order', () => {
  it('has the owners asked in one round a day, each told once, and about nothing twice', async () => {
    const app = await begun({
      s: { owners: ['ola'], things: ['link:drives:1'] },
      t: { owners: ['ola'], things: ['link:drives:2'] },
    });
    let asked: string[] = [];
    Object.assign(app.ask, {
      orderSubjects: (_: unknown, about: { things: string[] }) => Promise.resolve(about.things),
      spacesOfKeys: (_: unknown, keys: string[]) =>
        Promise.resolve(
          keys.map((k) => (k.startsWith('item:') ? `space:${k.slice('item:'.length)}` : undefined)),
        ),
    });
    const all = app.ask as unknown as { spacesToAsk: (...given: unknown[]) => Promise<SpaceToAsk[]> };
    const { spacesToAsk } = all;
    all.spacesToAsk = async (...given) => {
      asked = (given[2] as { spaces: string[] }).spaces;
      return (await spacesToAsk()).filter((s) => asked.includes(s.key));
    };
    app.orders.runs.onReview = (...given) => app.rounds.byOrder(...given);
    const order: Order = {
      format: 'gate-lantern-order',
      version: 1,
      name: 'Ask who shares',
      severity: 'medium',
      on: true,
      when: { event: ['file.shared'] },
      steps: [{ do: 'review', kind: 'shares', days: 10 }, { do: 'stop' }],
    };
    const { id } = await app.orders.put(order, 'ada@tarntide.example');
    let n = 0;
    const happens = (thing: string): Promise<unknown> =>
      db.transaction((tx) =>
        app.orders.begin.add(tx, [
          { order: { id, version: 1 }, cause: `c${++n}`, about: `a${n}`, doc: { things: [thing] } },
        ]),
      );
    for (const thing of ['item:s', 'item:t', 'item:s', 'user:nobody']) await happens(thing);
    await app.look();
    await app.day(0.1);
    const rounds = await app.rounds.list();
    expect(rounds).toMatchObject([
      { spaces: 2, things: 2, round: { name: 'Ask who shares, 2026-03-02', kind: 'shares', days: 10 } },
    ]);
    expect(await letters()).toEqual(['ola: asked']);
    const did = await db.query<{ words: string }>(
      "select words from order_did where what = 'asked' order by seq",
    );
    expect(did.map((d) => d.words.split(':')[0]!.split(',')[0])).toEqual([
      'Owners are asked about 1 space',
      'Owners are asked about 1 space',
      'Nobody is asked',
      'Nobody is asked',
    ]);
    // answered, and shared again: it is another question
    await app.rounds.desk.put(desk, {
      id: (await first(app.rounds)).id,
      given: [{ n: 0, what: 'keep' }],
      send: true,
    });
    await happens('item:s');
    await app.look();
    expect((await app.rounds.list()).map((r) => r.spaces)).toEqual([1, 2]);
    await app.close();
  });
});
