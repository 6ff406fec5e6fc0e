/** Exposure points, against a second reading of docs/exposure.md over the plain reading of access. */
import fc from 'fast-check';
import { expect, it } from 'vitest';
import { reach } from '../../src/core/access/reach.ts';
import { view } from '../../src/core/access/view.ts';
import { findExposures } from '../../src/core/exposure/find.ts';
import { build } from './build.ts';
import { organisations } from './organisations.ts';
import { plainly, type Rows } from './plain-access.ts';

/** The table of what a weight allows, as tiers by number from sole, and its points for each tier beyond. */
const ALLOWED = [6, 4, 3, 2, 1];
const POINTS = [0, 2, 5, 15, 40];
const WORDS = {
  reader: 'open',
  commenter: 'open',
  editor: 'open edit',
  manager: 'open edit share',
  owner: 'open edit share',
};
const DAY = 86_400_000;

/** When things were made: not known, or up to two years before the survey. */
const ages = fc.array(fc.option(fc.integer({ min: 0, max: 730 }), { freq: 3 }), {
  minLength: 11,
  maxLength: 11,
});
const dated = (rows: Rows, days: readonly (number | null)[]): Rows => {
  const at = (n: number): string | undefined => {
    const d = days[n % days.length];
    return typeof d === 'number' ? new Date(rows.takenAt - d * DAY).toISOString() : undefined;
  };
  return {
    ...rows,
    grants: rows.grants.map((g, n) => ({ ...g, ...(at(n) && { grantedAt: at(n)! }) })),
    links: rows.links.map((l, n) => ({ ...l, ...(at(n + 7) && { createdAt: at(n + 7)! }) })),
  };
};

function plainPoints(rows: Rows, item: Rows['items'][number], weight: number) {
  const space = rows.spaces.find((s) => s.id === item.space)!;
  const { judge, through, TIERS } = plainly(rows);
  const all = judge(space, item);
  const { grants, links, visible } = through(space, item);
  const tierOf = (j: ReturnType<typeof judge>) =>
    [TIERS.indexOf(j.now.tier), TIERS.indexOf(j.could.tier)] as const;
  const [now, could] = tierOf(all);
  const allowed = ALLOWED[weight]!;
  if (Math.max(now, could) <= allowed) return undefined;
  // each grant, link and visibility with nothing else there
  const hidden = { ...space, visibility: 'members' as const };
  const bare = { ...item, owner: undefined } as Rows['items'][number];
  const only = (part: Partial<Rows>, at: typeof space = hidden): number => {
    const others = {
      ...rows,
      grants: [],
      links: [],
      ...part,
      spaces: rows.spaces.map((s) => (s.id === at.id ? at : s)),
      items: rows.items.map((i) => (i.id === item.id ? bare : i)),
    };
    return Math.max(...tierOf(plainly(others).judge(at, bare)));
  };
  const given = [
    ...grants.map((g) => ({ role: g.role, at: g.grantedAt, tier: only({ grants: [g] }) })),
    ...links.map((l) => ({ role: l.role, at: l.createdAt, tier: only({ links: [l] }) })),
    ...(visible ? [{ role: space.visibilityRole ?? 'reader', at: undefined, tier: only({}, space) }] : []),
  ];
  const alone = given.filter((g) => g.tier > allowed);
  const beyond = alone.length ? alone : given;
  const lines: number[] = [];
  const beyondNow = Math.max(0, now - allowed);
  const beyondCould = Math.max(0, could - allowed) - beyondNow;
  if (beyondNow) lines.push(beyondNow * POINTS[weight]!);
  if (beyondCould > 0) lines.push(Math.round((beyondCould * POINTS[weight]!) / 2));
  const base = lines.reduce((a, b) => a + b, 0);
  const can = (word: string): boolean =>
    !space.archived &&
    beyond.some(
      (g) =>
        WORDS[g.role].includes(word) ||
        (word === 'share' && g.role === 'editor' && space.editorsShare !== false),
    );
  if (can('share')) lines.push(Math.round(base * 0.5));
  else if (can('edit')) lines.push(Math.round(base * 0.25));
  const made = beyond.flatMap((g) => (g.at ? Date.parse(g.at) : []));
  const quarters = made.length ? Math.min(4, Math.floor((rows.takenAt - Math.min(...made)) / DAY / 91)) : 0;
  if (quarters > 0) lines.push(Math.round((base * quarters) / 10));
  const points = lines.reduce((a, b) => a + b, 0);
  const severity = points >= 120 ? 'critical' : points >= 60 ? 'high' : points >= 20 ? 'medium' : 'low';
  return { weight, now, could, through: beyond.length, points, severity, lines };
}

it('are what the document says they are, line by line', () => {
  const seen = { one: 0, several: 0, extra: 0 };
  fc.assert(
    fc.property(organisations, ages, fc.nat(), (raw, days, seed) => {
      const rows = dated(raw, days);
      const v = view(build(rows));
      const weights = Uint8Array.from({ length: v.org.itemIds.length }, (_, i) => (seed + i * 3) % 5);
      const found = new Map(findExposures(v, reach(v), weights).map((e) => [v.org.itemIds.at(e.item), e]));
      for (const item of rows.items) {
        const number = v.org.find('item', item.id);
        const wanted = plainPoints(rows, item, weights[number]!);
        const e = found.get(item.id);
        expect(
          e && {
            weight: e.weight,
            now: e.now,
            could: e.could,
            through: e.through.length,
            points: e.points,
            severity: e.severity,
            lines: e.lines.map((l) => l.points),
          },
        ).toEqual(wanted);
        if (!wanted) continue;
        if (wanted.through > 1) seen.several++;
        else seen.one++;
        if (wanted.lines.length > 2) seen.extra++;
      }
    }),
    { numRuns: 1500 },
  );
  for (const often of Object.values(seen)) expect(often).toBeGreaterThan(30);
});
