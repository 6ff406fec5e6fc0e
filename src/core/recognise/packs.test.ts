import { expect, it } from 'vitest';
import { PACKS } from './packs.ts';
import { DATA_TYPES } from './types/index.ts';

it('packs name data types that there are, and every data type is in one', () => {
  const ids = new Set(DATA_TYPES.map((t) => t.id));
  const packed = new Set(PACKS.flatMap((p) => p.types));
  expect([...packed].filter((id) => !ids.has(id))).toEqual([]);
  expect([...ids].filter((id) => !packed.has(id))).toEqual([]);
  expect(new Set(PACKS.map((p) => p.id)).size).toBe(PACKS.length);
});
