import { beforeAll, describe, expect, it } from 'vitest';
import { DEFAULT_LIMITS } from '../../core/remedy/plan.ts';
import type { OpenDb } from '../../store/db.ts';
import { ownDb } from '../../../tests/own-db.ts';
import { Ledger } from '../ledger.ts';
import { Limits, limitsOf } from './limits.ts';

describe('limits of approval', () => {
  let db: OpenDb;
  let limits: Limits;
  let now = Date.parse('2026-03-01T08:00:00Z');
  ownDb((own) => void (db = own));
  beforeAll(() => {
    const clock = (): Date => new Date((now += 1000));
    limits = new Limits({ db, ledger: new Ledger(db, clock), clock });
  });
  const said = async (): Promise<string[]> =>
    (await db.query<{ who: string; what: string }>('select who, what from ledger order by seq')).map(
      (e) => `${e.who} ${e.what}`,
    );

  it('become stricter at once, by anybody', async () => {
    expect(await limits.set({ ...DEFAULT_LIMITS, people: 20 }, 'a')).toEqual({ proposed: false });
    expect(await limits.state()).toEqual({ limits: { ...DEFAULT_LIMITS, people: 20 }, proposed: null });
  });

  it('become looser when a second steward says so, and not by whoever proposed it', async () => {
    // stricter in one thing does not buy looseness in another
    const looser = { ...DEFAULT_LIMITS, people: 5, suspension: false };
    expect(await limits.set(looser, 'a')).toEqual({ proposed: true });
    const { limits: still, proposed } = await limits.state();
    expect([still.people, still.suspension]).toEqual([20, true]);
    await expect(limits.decide(true, proposed!.at, 'a')).rejects.toMatchObject({ code: 'same-steward' });
    await expect(limits.decide(true, 'another time', 'b')).rejects.toMatchObject({ code: 'no-proposal' });
    await limits.decide(true, proposed!.at, 'b');
    expect(await limits.state()).toEqual({ limits: looser, proposed: null });
    await expect(limits.decide(true, proposed!.at, 'b')).rejects.toMatchObject({ code: 'no-proposal' });
  });

  it('that are refused, or withdrawn by whoever proposed them, never hold', async () => {
    for (const by of ['a', 'b']) {
      await limits.set({ ...DEFAULT_LIMITS, weight: 5 }, 'a');
      const { proposed } = await limits.state();
      await limits.decide(false, proposed!.at, by);
      expect((await limits.state()).limits.weight).toBe(4);
    }
  });

  it('that changed while somebody looked at a proposal are not approved unseen', async () => {
    await limits.set({ ...DEFAULT_LIMITS, spaces: 100 }, 'a');
    const { proposed } = await limits.state();
    await limits.set({ ...DEFAULT_LIMITS, spaces: 1_000_000 }, 'a');
    await expect(limits.decide(true, proposed!.at, 'b')).rejects.toMatchObject({ code: 'no-proposal' });
  });

  it('hold for a plan as they were when it was made, unless they are stricter now', async () => {
    const made = { ...DEFAULT_LIMITS, people: 3 };
    expect((await limitsOf(db, { limits: made })).people).toBe(3);
    await limits.set({ ...(await limits.state()).limits, people: 2 }, 'a');
    expect((await limitsOf(db, { limits: made })).people).toBe(2);
    expect((await limitsOf(db, { limits: null })).people).toBe(2);
  });

  it('are on the ledger, whatever came of them', async () => {
    expect(await said()).toEqual([
      'a approval.set',
      'a approval.proposed',
      'b approval.lowered',
      'a approval.proposed',
      'a approval.refused',
      'a approval.proposed',
      'b approval.refused',
      'a approval.proposed',
      'a approval.proposed',
      'a approval.set',
    ]);
  });
});
