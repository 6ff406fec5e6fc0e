import { expect, it } from 'vitest';
import { readKept, verdicts } from './ratios.ts';

it('what became more than a third worse is said, and what was not measured too', () => {
  const kept = { 'a against b': 0.3, 'c against d': 2, 'e against f': 1 };
  const now = new Map([
    ['a against b', 0.41],
    ['c against d', 2.6],
  ]);
  expect(verdicts(now, kept)).toEqual({
    compared: [
      { what: 'a against b', kept: 0.3, now: 0.41, worse: true },
      { what: 'c against d', kept: 2, now: 2.6, worse: false },
    ],
    missing: ['e against f'],
  });
});

it('there are ratios to compare with, and each is a number', () => {
  const kept = Object.values(readKept());
  expect(kept.length).toBeGreaterThan(5);
  expect(kept.every((r) => r > 0 && Number.isFinite(r))).toBe(true);
});
