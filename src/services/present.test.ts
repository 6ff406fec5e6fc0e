import { describe, expect, it } from 'vitest';
import type { Db } from '../store/db.ts';
import { Events } from './events.ts';
import { Present, type Move } from './present.ts';

/** A store whose newest survey is set by hand, and an engine that takes as long as it is told to. */
function world() {
  const state = { newest: 1, taken: [] as number[], release: [] as (() => void)[], held: false };
  const db = {
    query: () =>
      Promise.resolve([
        { id: state.newest, ended: state.newest, taken_at: new Date('2026-06-01T00:00:00Z') },
      ]),
  } as unknown as Db;
  const wait = () => (state.held ? new Promise<void>((r) => state.release.push(r)) : Promise.resolve());
  const engine = {
    ask: {
      take: async (survey: number) => {
        await wait();
        state.taken.push(survey);
        return [{ source: 's', kind: 'item' as const, n: survey }];
      },
      reweigh: () => Promise.resolve(state.taken.at(-1)!),
      exposed: () => Promise.resolve({ found: [], gone: [] }),
      rowsRead: () => Promise.resolve(0),
    },
  };
  const events = new Events();
  return { state, events, present: new Present(db, engine, events) };
}

describe('the present', () => {
  it('takes surveys in turn, so that an older one never comes back in front of a newer one', async () => {
    const { state, present } = world();
    state.held = true;
    const first = present.toNewest();
    await expect.poll(() => state.release.length).toBe(1);
    state.newest = 2;
    const second = present.toNewest();
    state.newest = 3;
    const third = present.toNewest();
    state.held = false;
    state.release.forEach((r) => r());
    await Promise.all([first, second, third]);
    expect(state.taken).toEqual([1, 3]);
    expect(present.survey).toBe(3);
    expect(present.counts).toEqual([{ source: 's', kind: 'item', n: 3 }]);
  });

  it('tells listeners in the order they subscribed, one after another, and then says so once', async () => {
    const { present, events } = world();
    const heard: string[] = [];
    events.listen((e) => heard.push(e.type));
    for (const name of ['findings', 'sum', 'plans'])
      present.subscribe(async (move: Move) => {
        await Promise.resolve();
        heard.push(`${name} ${move.survey}${move.again ? ' again' : ''}`);
      });
    await present.toNewest();
    await present.toNewest();
    expect(heard).toEqual(['findings 1', 'sum 1', 'plans 1', 'present']);
    heard.length = 0;
    await present.again();
    await present.reweigh();
    expect(heard.filter((h) => h.startsWith('plans'))).toEqual(['plans 1 again', 'plans 1 again']);
  });

  it('makes a move again where a listener failed, and goes on with the next in the queue', async () => {
    const { present } = world();
    let failing = true;
    const seen: number[] = [];
    present.subscribe((move) => {
      if (failing) return Promise.reject(new Error('the disk is full'));
      seen.push(move.survey);
      return Promise.resolve();
    });
    await expect(present.toNewest()).rejects.toThrow('the disk is full');
    failing = false;
    await present.toNewest();
    expect(seen).toEqual([1]);
  });
});
