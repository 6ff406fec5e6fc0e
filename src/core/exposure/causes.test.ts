import { describe, expect, it } from 'vitest';
import { demoRows } from '../../../tests/demo-rows.ts';
import { build } from '../../../tests/reference/build.ts';
import { makeWorld } from '../../../demo/world.ts';
import { reach } from '../access/reach.ts';
import { view } from '../access/view.ts';
import { alter } from '../access/change.ts';
import { losersIn, whatIf } from '../access/difference.ts';
import { causesOf } from './causes.ts';
import { findExposures } from './find.ts';

const world = makeWorld();
const org = build(demoRows(world));
const v = view(org);
const columns = reach(v);
const weights = new Uint8Array(org.itemIds.length);
for (const flaw of world.flaws)
  for (const id of flaw.items) weights[org.find('item', id)] = flaw.expected.weight;
const exposures = findExposures(v, columns, weights);
const total = (list: readonly { points: number }[]): number => list.reduce((n, e) => n + e.points, 0);
const parts = causesOf(v, columns, weights, exposures);
let part = parts.next();
while (!part.done) part = parts.next();
const causes = part.value;

describe('causes', () => {
  it('close what they say: everything worked out anew with that one change made', () => {
    expect(causes.length).toBeGreaterThan(10);
    for (const cause of causes) {
      const after = alter(v, [cause.change]).view;
      const left = findExposures(after, reach(after), weights);
      expect(total(exposures) - total(left), JSON.stringify(cause.change)).toBe(cause.points);
      expect(exposures.length - left.length).toBe(cause.findings);
      const losers = losersIn(whatIf(v, [cause.change]));
      expect(new Set([...cause.members, ...cause.external])).toEqual(losers);
    }
  });

  it('close together what all of them made at once close', () => {
    const after = alter(
      v,
      causes.map((c) => c.change),
    ).view;
    expect(causes[causes.length - 1]!.together).toBe(
      total(exposures) - total(findExposures(after, reach(after), weights)),
    );
    for (let k = 1; k < causes.length; k++) {
      expect(causes[k]!.points).toBeLessThanOrEqual(causes[k - 1]!.points);
      expect(causes[k]!.together).toBeGreaterThanOrEqual(causes[k - 1]!.together);
    }
  });

  it('know that one person from outside in a group is the cause, and not the group’s grant alone', () => {
    const membership = causes.find((c) => c.kind === 'membership')!;
    expect(org.groups[membership.group!]!.name).toBe('Shift planners');
    expect(membership.members).toEqual([]);
    const grant = causes.find((c) => c.kind === 'grant' && c.points === membership.points)!;
    // of two that close as much, the one that hurts fewer members is first
    expect(causes.indexOf(membership)).toBeLessThan(causes.indexOf(grant));
    expect(grant.members.length).toBeGreaterThan(0);
  });
});
