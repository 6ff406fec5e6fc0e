/** Accounts, the ledger and the tray on a real database, with a clock of the test's own. */
import fc from 'fast-check';
import { beforeAll, describe, expect, it } from 'vitest';
import type { PlannedChange } from '../core/remedy/plan.ts';
import type { PlanGoal } from '../dto/remedy.ts';
import type { Engine } from '../engine/engine.ts';
import type { OpenDb } from '../store/db.ts';
import { ownDb } from '../../tests/own-db.ts';
import { Accounts } from './accounts.ts';
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
  ledger = new Ledger(db, clock);
  accounts = new Accounts(db, ledger, clock);
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
    const { account } = await accounts.signIn(' ADA@tarntide.example ', 'ada has a long word');
    expect(account.name).toBe('ada');
    expect(await wrong('ada@tarntide.example')).toMatchObject({ code: 'wrong-sign-in' });
  });

  it('ends a session after half an hour without use, and after twelve hours with it', async () => {
    const sign = async () => (await accounts.signIn('cy@tarntide.example', 'cy has a long word')).token;
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

    const left = await sign();
    await accounts.signOut(left);
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
      changeRefs: (changes: PlannedChange[]) =>
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
