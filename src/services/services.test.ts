/** Accounts, the ledger and the tray on a real database, with a clock of the test's own. */
import fc from 'fast-check';
import { beforeAll, describe, expect, it } from 'vitest';
import type { PlannedChange } from '../core/remedy/plan.ts';
import type { PlanGoal } from '../dto/remedy.ts';
import type { Engine } from '../engine/engine.ts';
import type { OpenDb } from '../store/db.ts';
import { ownAccounts, whole } from '../../tests/own-accounts.ts';
import { ownDb } from '../../tests/own-db.ts';
import type { Accounts } from './accounts.ts';
import { Ledger } from './ledger.ts';
import { Tray } from './tray.ts';

const MINUTE = 60_000;
let db: OpenDb;
let now = Date.parse('2026-03-02T09:00:00Z');
const clock = (): Date => new Date(now);
let ledger: Ledger;
let accounts: Accounts;

ownDb(async (own) => {
  db = own;
  ({ ledger, accounts } = ownAccounts(db, clock));
  for (const name of ['ada', 'bo', 'cy'])
    await accounts.create(name, `${name}@tarntide.example`, 'steward', `${name} has a long word`, 'test');
});

describe('signing in', () => {
  const wrong = (address: string) =>
    accounts.signIn(address, 'wrong').then(
      () => new Error('signed in'),
      (e: unknown) => e as Error,
    );

  it('says the same of an unknown address as of a wrong password', async () => {
    const [unknown, known] = [await wrong('nobody@tarntide.example'), await wrong('bo@tarntide.example')];
    expect(unknown).toMatchObject({ code: 'wrong-sign-in' });
    expect(unknown.message).toBe(known.message);
  });

  it('lets five tries fail, then makes each further one wait twice as long, and the right one too', async () => {
    for (let n = 0; n < 5; n++)
      expect(await wrong('ada@tarntide.example')).toMatchObject({ code: 'wrong-sign-in' });
    for (const seconds of [2, 4, 8, 16]) {
      await expect(accounts.signIn('ada@tarntide.example', 'ada has a long word')).rejects.toMatchObject({
        code: 'slow-down',
        message: `Too many failed tries. Try again in ${seconds} seconds.`,
      });
      now += seconds * 1000;
      expect(await wrong('ada@tarntide.example')).toMatchObject({ code: 'wrong-sign-in' });
    }
    now += 16 * MINUTE;
    const { account } = await whole(accounts.signIn(' ADA@tarntide.example ', 'ada has a long word'));
    expect(account.name).toBe('ada');
    expect(await wrong('ada@tarntide.example')).toMatchObject({ code: 'wrong-sign-in' });
  });

  it('counts tries before it looks at them, so that many at once are no more than one after another', async () => {
    now += 16 * MINUTE;
    const at = (await ledger.count()) + 1;
    const answers = await Promise.all(Array.from({ length: 200 }, () => wrong('bo@tarntide.example')));
    const codes = answers.map((e) => (e as Error & { code?: string }).code);
    expect(codes.filter((c) => c === 'wrong-sign-in')).toHaveLength(5);
    expect(codes.filter((c) => c === 'slow-down')).toHaveLength(195);
    // on the ledger the first and the fifth, not two hundred; whichever of the two was looked at first
    const entries = await db.query<{ what: string; subject: string; after: { tries: number } }>(
      'select what, subject, after from ledger where seq >= $1 order by seq',
      [at],
    );
    expect(new Set(entries.map((e) => `${e.subject} ${e.after.tries}`))).toEqual(
      new Set(['bo@tarntide.example 1', 'bo@tarntide.example 5']),
    );
    expect(entries).toHaveLength(2);
  });

  it('does not lock out whoever signs in from a device of theirs, and slows that down by itself', async () => {
    now += 16 * MINUTE;
    const own = { source: '192.0.2.7' };
    const right = 'ada has a long word';
    const { device } = await whole(accounts.signIn('ada@tarntide.example', right, own));
    for (let n = 0; n < 5; n++) await wrong('ada@tarntide.example');
    expect(await wrong('ada@tarntide.example')).toMatchObject({ code: 'slow-down' });
    const again = await whole(accounts.signIn('ada@tarntide.example', right, { ...own, device }));
    expect(again.device).toBe(device);
    // another's device is nobody's here, and a stolen one may guess no more often than anybody
    for (const made of ['made up', device])
      await expect(
        accounts.signIn('bo@tarntide.example', 'wrong', { source: '192.0.2.8', device: made }),
      ).rejects.toMatchObject({ code: 'wrong-sign-in' });
    for (let n = 0; n < 5; n++)
      await expect(
        accounts.signIn('ada@tarntide.example', 'wrong', { ...own, device }),
      ).rejects.toMatchObject({ code: 'wrong-sign-in' });
    await expect(accounts.signIn('ada@tarntide.example', right, { ...own, device })).rejects.toMatchObject({
      code: 'slow-down',
    });
    expect(JSON.stringify(await db.query('select * from device'))).not.toContain(device);
  });

  it('slows down a source that tries many accounts, and writes of unknown ones no name', async () => {
    now += 16 * MINUTE;
    const at = (await ledger.count()) + 1;
    const from = { source: '198.51.100.9' };
    const codes: string[] = [];
    for (let n = 0; n < 32; n++)
      codes.push(
        (await accounts
          .signIn(`guess${n}@tarntide.example`, 'wrong', from)
          .catch((e: { code: string }) => e.code)) as string,
      );
    expect(codes.filter((c) => c === 'wrong-sign-in')).toHaveLength(30);
    expect(codes.at(-1)).toBe('slow-down');
    // others are not held up by it
    expect((await whole(accounts.signIn('cy@tarntide.example', 'cy has a long word'))).account.name).toBe(
      'cy',
    );
    const entries = await db.query<{ what: string; subject: string }>(
      "select what, subject from ledger where seq >= $1 and what = 'sign-in.refused'",
      [at],
    );
    expect(entries).toEqual([{ what: 'sign-in.refused', subject: 'an address without an account' }]);
    now += 16 * MINUTE;
  });

  it('ends a session after half an hour without use, and after twelve hours with it', async () => {
    const sign = async () =>
      (await whole(accounts.signIn('cy@tarntide.example', 'cy has a long word'))).token;
    const idle = await sign();
    expect((await accounts.session(idle))?.name).toBe('cy');
    now += 31 * MINUTE;
    expect(await accounts.session(idle)).toBeUndefined();

    const used = await sign();
    const from = now;
    while (now - from <= 12 * 60 * MINUTE) {
      expect((await accounts.session(used))?.name).toBe('cy');
      now += 20 * MINUTE;
    }
    expect(await accounts.session(used)).toBeUndefined();

    // asking whether it is good does not use it
    const listened = await sign();
    for (let n = 0; n < 3; n++) {
      now += 9 * MINUTE;
      expect(await accounts.isGood(listened)).toBe(true);
    }
    now += 4 * MINUTE;
    expect(await accounts.isGood(listened)).toBe(false);
    expect(await accounts.session(listened)).toBeUndefined();

    const left = await sign();
    await accounts.signOut(left);
    expect(await accounts.isGood(left)).toBe(false);
    expect(await accounts.session(left)).toBeUndefined();
    // what is kept is no token that would sign anybody in
    expect(JSON.stringify(await db.query('select * from session'))).not.toContain(used);
  });
});

describe('the ledger', () => {
  it('has an entry of a deed where the deed is kept, and none where it is not', async () => {
    const before = await ledger.count();
    const deed = { who: 'test', what: 'thing.done', subject: 'it' };
    await expect(
      db.transaction(async (tx) => {
        await ledger.add(deed, tx);
        throw new Error('not done after all');
      }),
    ).rejects.toThrow('not done');
    expect(await ledger.count()).toBe(before);
    await Promise.all(
      Array.from({ length: 20 }, (_, i) => ledger.add({ ...deed, after: { i, '\0': '=1+1' } })),
    );
    expect(await ledger.count()).toBe(before + 20);
    expect(await ledger.check()).toMatchObject({ holds: true, entries: before + 20 });
  });

  it('says where its chain breaks, whatever was altered', async () => {
    const alterations: [string, number][] = [
      ["update ledger set who = who || 'x' where seq = 4", 4],
      ['update ledger set after = \'{"role":"auditor"}\' where seq = 2', 2],
      ["update ledger set at = replace(at, '09', '10') where seq = 3", 3],
      ['delete from ledger where seq = 5', 6],
      ["update ledger set hash = repeat('0', 64) where seq = 6", 6],
    ];
    for (const [sql, seq] of alterations) {
      await expect(
        db.transaction(async (tx) => {
          await tx.query(sql);
          const found = await new Ledger(tx, clock).check();
          throw Object.assign(new Error('take it back'), { found });
        }),
      ).rejects.toMatchObject({ found: { holds: false, seq } });
    }
    expect(await ledger.check()).toMatchObject({ holds: true });
  });
});

describe('the tray', () => {
  const grant = (id: string): PlannedChange => ({ kind: 'grant', source: 'drives', id });
  const goal = (words: string): PlanGoal => ({ words }) as PlanGoal;
  /** An engine that knows every change but those named gone, and can do all but those named stuck. */
  const engine = {
    ask: {
      changeRefs: (_: undefined, changes: PlannedChange[]) =>
        Promise.resolve(
          changes
            .filter((c) => !c.id.startsWith('gone'))
            .map((change) => ({
              change,
              words: `withdraw ${change.id}`,
              ...(change.id.startsWith('stuck') && { cannot: 'it stands in the way' }),
            })),
        ),
      preview: () => Promise.resolve({ survey: 1 }),
    },
  } as unknown as Engine;
  let tray: Tray;
  beforeAll(() => {
    tray = new Tray(db, engine);
  });

  it('takes all of what is picked up or nothing, and each once', async () => {
    for (const [bad, code] of [
      ['gone', 'not-there'],
      ['stuck', 'cannot'],
    ] as const)
      await expect(tray.pickUp(1, [grant('a'), grant(bad)])).rejects.toMatchObject({ code });
    expect((await tray.state(1)).list).toEqual([]);
    await tray.pickUp(1, [grant('a'), grant('b')], goal('nobody outside'));
    await tray.pickUp(1, [grant('b'), grant('c')], goal('nobody outside'));
    const state = await tray.state(1);
    expect(state.list.map((e) => e.words)).toEqual(['withdraw a', 'withdraw b', 'withdraw c']);
    expect(state.goals.map((g) => g.words)).toEqual(['nobody outside']);
    expect((await tray.state(2)).list).toEqual([]);
    await expect(
      tray.pickUp(
        1,
        Array.from({ length: 5000 }, (_, i) => grant(`m${i}`)),
      ),
    ).rejects.toMatchObject({ code: 'tray-full' });
    expect((await tray.state(1)).list).toHaveLength(3);
  });

  it('keeps the order it is given; what is not named comes last as it was', async () => {
    const ids = async (): Promise<string[]> => (await tray.state(1)).list.map((e) => e.change.id);
    const seqs = async (): Promise<number[]> => (await tray.state(1)).list.map((e) => e.seq);
    await tray.pickUp(1, [grant('d'), grant('e')]);
    const [known, numbers] = [await ids(), await seqs()];
    await fc.assert(
      fc.asyncProperty(fc.shuffledSubarray([0, 1, 2, 3, 4]), async (chosen) => {
        const before = await ids();
        const named = chosen.map((k) => known[k]!);
        await tray.order(
          1,
          chosen.map((k) => numbers[k]!),
        );
        expect(await ids()).toEqual([...named, ...before.filter((id) => !named.includes(id))]);
      }),
      { numRuns: 25 },
    );
  });

  it('makes no plan of two changes that cannot both be, nor of nothing; and without changes there are no goals', async () => {
    const role = (r: 'reader' | 'commenter'): PlannedChange =>
      ({ ...grant('r'), set: { role: r } }) as PlannedChange;
    await tray.pickUp(1, [role('reader'), role('commenter')]);
    expect((await tray.state(1)).conflicts).toHaveLength(1);
    await expect(tray.forPlan(1)).rejects.toMatchObject({ code: 'tray-conflict' });
    await tray.putDown(1, [(await tray.state(1)).list.at(-1)!.seq]);
    const { changes, goals, seqs } = await tray.forPlan(1);
    expect(changes).toHaveLength(6);
    expect(goals).toEqual([goal('nobody outside')]);
    await tray.putDown(2, seqs);
    expect((await tray.state(1)).list).toHaveLength(6);
    await tray.putDown(1, seqs);
    expect(await tray.state(1)).toMatchObject({ list: [], goals: [] });
    await expect(tray.forPlan(1)).rejects.toMatchObject({ code: 'tray-empty' });
  });
});
