import { describe, expect, it } from 'vitest';
import type { Preview } from '../../dto/remedy.ts';
import { Drafts } from './drafts.ts';
import type { PlanParts } from './parts.ts';
import type { Head } from './rows.ts';

const preview = (survey: number, loses: number): Preview =>
  ({
    survey,
    missing: [],
    people: [{ id: 'u1', loses, reduced: 0 }],
    itemsChanged: 1,
    pointsBefore: 9,
    pointsAfter: 0,
  }) as unknown as Preview;

/** A plan whose preview is of survey 7; survey 8 is newer, and there one person loses more. */
function world(engineAt: 7 | 8) {
  const head = {
    id: 1,
    state: 'draft',
    survey: 7,
    preview: preview(7, 1),
    approval: null,
  } as unknown as Head;
  const written: string[] = [];
  const state = { engineAt, inForce: 7 };
  const query = (sql: string) => {
    if (/^\s*(insert|update)/.test(sql)) written.push(sql);
    return Promise.resolve(sql.startsWith('select * from plan where') ? [head] : []);
  };
  const parts = {
    db: { query, transaction: (work: (tx: unknown) => unknown) => Promise.resolve(work({ query })) },
    engine: {
      ask: { preview: () => Promise.resolve(preview(state.engineAt, state.engineAt === 7 ? 1 : 5)) },
    },
    present: {
      get survey() {
        return state.inForce;
      },
      toNewest: () => {
        state.inForce = 8;
        return Promise.resolve();
      },
    },
  } as unknown as PlanParts;
  return { drafts: new Drafts(parts), head, written, state };
}

describe('a plan whose preview is of an older survey', () => {
  it('does not begin on an answer that the engine gives from the older one', async () => {
    const { drafts, written } = world(7);
    await expect(drafts.mayBegin(1, 'steward')).rejects.toMatchObject({ code: 'reading' });
    expect(written).toEqual([]);
  });

  it('does not begin where the newer one says something else', async () => {
    const { drafts } = world(8);
    await expect(drafts.mayBegin(1, 'steward')).rejects.toMatchObject({
      code: 'preview-old',
      message: expect.stringContaining('1 person loses different access') as string,
    });
  });

  it('says nothing of the newer one until the engine is there, and then what differs', async () => {
    const { drafts, head, state } = world(7);
    state.inForce = 8;
    expect(await drafts.moved(head)).toBeUndefined();
    state.engineAt = 8;
    expect((await drafts.moved(head))?.differs).toEqual(['1 person loses different access']);
  });
});
