import { describe, expect, it } from 'vitest';
import { PACKS } from '../recognise/packs.ts';
import { dataType } from '../recognise/types/index.ts';
import { readPolicy } from './policy.ts';
import { STARTERS } from './starters.ts';

const types = {
  from: (id: string) => (dataType(id) ? 55 : undefined),
  pack: (id: string) => PACKS.find((p) => p.id === id)?.types,
};

describe('starters', () => {
  it('are policies without anything wrong, and none does anything by itself', () => {
    expect(STARTERS.length).toBeGreaterThanOrEqual(24);
    expect(new Set(STARTERS.map((s) => s.id)).size).toBe(STARTERS.length);
    for (const { id, policy } of STARTERS) {
      expect(readPolicy(policy, types).wrong, id).toEqual([]);
      expect(policy.rules.every((r) => r.mode === 'observe')).toBe(true);
    }
  });
});
