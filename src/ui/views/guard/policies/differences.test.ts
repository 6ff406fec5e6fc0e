import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { STARTERS } from '../../../../core/guard/starters.ts';
import type { Policy, Rule } from '../../../../core/guard/schema.ts';
import { differences } from './differences.ts';

const base = STARTERS.find((s) => s.id === 'links-without-end')!.policy;
const [first, second] = base.rules as [Rule, Rule];
const withRule = (change: Partial<Rule>): Policy => ({ ...base, rules: [{ ...first, ...change }, second] });

/** Each thing that can be other about a policy, and what that is called. */
const CHANGES: readonly [string, (p: Policy) => Policy][] = [
  ['Name', (p) => ({ ...p, name: 'Other' })],
  ['Purpose', (p) => ({ ...p, purpose: 'Other' })],
  ['For whom', (p) => ({ ...p, scope: { include: { units: ['Finance'] } } })],
  ['Condition for all rules', (p) => ({ ...p, filter: 'weight > 1' })],
  ['Judged', (p) => ({ ...p, rhythm: 'FREQ=DAILY;BYHOUR=5' })],
  ['Kept for', (p) => ({ ...p, keepDays: 7 })],
  ['Breaker', (p) => ({ ...p, breaker: { changes: 3 } })],
  ['Cases', (p) => ({ ...p, cases: [{ name: 'x', subject: 'link' }] })],
];

describe('differences of two versions', () => {
  it('name whatever was changed, and nothing else', () => {
    fc.assert(
      fc.property(fc.subarray([...CHANGES]), (some) => {
        const after = some.reduce((p, [, change]) => change(p), base);
        expect(differences(base, after).map((d) => d.what)).toEqual(some.map(([what]) => what));
        expect(differences(after, base).map((d) => d.what)).toEqual(some.map(([what]) => what));
      }),
    );
  });

  it('tell of rules what became other, and which came, went or moved', () => {
    const said = (b: Policy, a = base): [string, string, string][] =>
      differences(a, b).map((d) => [d.what, d.before, d.after]);
    expect(said(withRule({ mode: 'enforce' }))).toEqual([
      [`“${first.name}”: mode`, 'Observing', 'Enforcing'],
    ]);
    expect(said(withRule({ if: 'external' }))).toEqual([
      [`“${first.name}”: condition`, first.if, 'external'],
    ]);
    expect(said(withRule({ responses: [{ do: 'let-end', days: 30 }] }))).toEqual([
      [`“${first.name}”: responses`, 'Let end after 90 days', 'Let end after 30 days'],
    ]);
    const worded = (text: string): Policy => withRule({ responses: [{ do: 'caution', text }] });
    expect(said(worded('b'), worded('a')).map(([what]) => what)).toEqual([`“${first.name}”: texts`]);
    expect(said({ ...base, rules: [second, first] })).toEqual([
      ['Order of the rules', `${first.name}, ${second.name}`, `${second.name}, ${first.name}`],
    ]);
    expect(said({ ...base, rules: [first] }).map(([what]) => what)).toEqual([
      `Rule “${second.name}” removed`,
    ]);
    expect(said(base, { ...base, rules: [second] }).map(([what]) => what)).toEqual([
      `Rule “${first.name}” added`,
    ]);
    expect(said(base)).toEqual([]);
  });
});
