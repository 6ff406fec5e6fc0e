import { describe, expect, it } from 'vitest';
import { standingOf, type Approval } from './approval.ts';

const DAY = 86_400_000;
const approval: Approval = {
  app: 'drives:planner',
  approved: true,
  groups: [],
  scopes: ['files:read:own', 'calendar:read'],
  until: Infinity,
};
const stands = (of: Partial<Approval>, scopes: string[], groups: string[] = [], moment = 0) =>
  standingOf({ ...approval, ...of }, { scopes, groupsOf: () => new Set(groups) }, moment);

describe('an app stands as approved', () => {
  it('with what it was approved for, and not with more', () => {
    expect(stands({}, ['calendar:read'])).toBe('approved');
    expect(stands({}, [])).toBe('approved');
    expect(stands({}, ['calendar:read', 'mail:read'])).toBe('more');
  });
  it('for those it was approved for, until its last day is over', () => {
    expect(stands({ groups: ['g1', 'Pilots'] }, [], ['Pilots'])).toBe('approved');
    expect(stands({ groups: ['g1'] }, [], ['g2'])).toBe('none');
    expect(stands({ until: DAY }, [], [], DAY - 1)).toBe('approved');
    expect(stands({ until: DAY }, [], [], DAY)).toBe('none');
  });
  it('where nobody has refused it, and somebody has approved it', () => {
    expect(stands({ approved: false }, [])).toBe('refused');
    expect(standingOf(undefined, { scopes: [], groupsOf: () => new Set() }, 0)).toBe('none');
  });
});
