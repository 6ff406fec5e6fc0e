/** Findings on a real database, against a model of what becomes of each, with a clock of the test's own. */
import { addDays } from 'date-fns';
import fc from 'fast-check';
import { beforeAll, describe, expect, it } from 'vitest';
import { SEVERITIES } from '../core/exposure/exposure.ts';
import { TIERS } from '../core/model.ts';
import type { Account } from '../dto/accounts.ts';
import { FINDING_GROUPS, FINDING_SORTS, type FindingGroupBy, type FindingRow } from '../dto/exposure.ts';
import { Difference } from '../engine/differing.ts';
import type { EngineFinding } from '../engine/findings.ts';
import { key } from '../engine/keys.ts';
import type { OpenDb } from '../store/db.ts';
import { ownAccounts } from '../../tests/own-accounts.ts';
import { ownDb } from '../../tests/own-db.ts';
import { Findings, type FindingQuery } from './findings.ts';
import { Ledger } from './ledger.ts';
import type { Move } from './present.ts';

let db: OpenDb;
let by: Account;
let now = new Date('2026-03-02T09:00:00Z');
const clock = (): Date => now;
ownDb((own) => void (db = own));
beforeAll(async () => {
  await ownAccounts(db, clock).accounts.create(
    'Ada',
    'ada@tarntide.example',
    'steward',
    'ada has a long word',
    'test',
  );
  const [ada] = await db.query<Account>('select id, name, address, role from account');
  by = ada!;
});

const ITEMS = ['i1', 'i2', 'i3', 'i4'];
const SPACES = ['Payroll', 'Crew', 'payroll'];
/** What a survey finds of an item; what it weighs comes of nothing here. */
interface Seen {
  item: string;
  points: number;
  now: number;
  could: number;
  weight: number;
  space: string;
  domains: string[];
}
const asFound = ({ item, points, now, could, weight, space, domains }: Seen): EngineFinding => ({
  source: 'drives',
  item,
  severity: points > 50 ? 'high' : 'low',
  points,
  weight,
  now,
  could,
  summary: {
    ...{ name: `${item}.docx`, space, path: space, types: [], domains, through: [], lines: [] },
  },
});

/** As the engine tells them: those that differ from what is known. */
const differing =
  (found: readonly Seen[]): Move['findings'] =>
  (known) => {
    const difference = new Difference<EngineFinding>(known);
    for (const f of found) difference.take(key('drives', f.item), asFound(f));
    return Promise.resolve(difference.all());
  };

const seen = (item: string): fc.Arbitrary<Seen> =>
  fc.record({
    item: fc.constant(item),
    points: fc.integer({ min: 1, max: 100 }),
    now: fc.integer({ min: 0, max: 6 }),
    could: fc.integer({ min: 0, max: 6 }),
    weight: fc.integer({ min: 0, max: 4 }),
    space: fc.constantFrom(...SPACES),
    domains: fc.subarray(['a.example', 'b.test']),
  });
const survey = fc
  .subarray(ITEMS)
  .chain((items) => fc.tuple(...items.map(seen)))
  .map((found) => ({ what: 'survey' as const, found: found }));
const some = fc.subarray(ITEMS, { minLength: 1 });
const step = fc.oneof(
  { weight: 3, arbitrary: survey },
  fc.record({ what: fc.constant('again' as const) }),
  fc.record({ what: fc.constant('accept' as const), items: some, days: fc.integer({ min: -1, max: 5 }) }),
  fc.record({ what: fc.constant('reopen' as const), items: some }),
  fc.record({ what: fc.constant('give' as const), items: some, to: fc.boolean() }),
  fc.record({ what: fc.constant('note' as const), items: some }),
  fc.record({ what: fc.constant('days' as const), days: fc.integer({ min: 1, max: 4 }) }),
);

/** What becomes of a finding, as docs/exposure.md tells it. */
interface Model extends Seen {
  state: FindingRow['state'];
  until?: Date | undefined;
  assignee: string | null;
  notes: number;
  history: string[];
}
const day = (d: Date): string => d.toISOString().slice(0, 10);

class World {
  readonly model = new Map<string, Model>();
  survey(found: readonly Seen[]): void {
    for (const f of found) {
      const m = this.model.get(f.item);
      if (!m) this.model.set(f.item, { ...f, state: 'open', assignee: null, notes: 0, history: ['opened'] });
      else {
        const worse = f.points > m.points || Math.max(f.now, f.could) > Math.max(m.now, m.could);
        if (m.state === 'fixed') this.to(m, 'reopened', 'reopened');
        else if (m.state === 'accepted' && worse) this.to(m, 'open', 'worse');
        Object.assign(m, f);
      }
    }
    for (const m of this.model.values())
      if (m.state !== 'fixed' && !found.some((f) => f.item === m.item)) this.to(m, 'fixed', 'fixed');
  }
  to(m: Model, state: Model['state'], what: string): void {
    if (state !== 'accepted') m.until = undefined;
    m.state = state;
    m.history.push(what);
  }
  pass(): void {
    for (const m of this.model.values())
      if (m.state === 'accepted' && day(m.until!) < day(now)) this.to(m, 'open', 'lapsed');
  }
}

const asked = (more: Partial<FindingQuery> = {}): FindingQuery => ({
  state: 'all',
  sort: [{ key: 'points', down: true }],
  limit: 100,
  offset: 0,
  brief: false,
  ...more,
});

describe('findings', () => {
  it('become what surveys, stewards and the calendar make of them, and say how', async () => {
    const states = new Set<string>();
    await fc.assert(
      fc.asyncProperty(fc.array(step, { minLength: 3, maxLength: 14 }), async (steps) => {
        await db.query('truncate finding cascade');
        await db.query("delete from setting where name = 'findings-survey'");
        const findings = new Findings(db, new Ledger(db, clock), clock);
        const world = new World();
        let [number, last] = [1, [] as Seen[]];
        const ids = async (items: readonly string[]): Promise<number[]> =>
          (await findings.list(asked())).rows.filter((r) => items.includes(r.item)).map((r) => r.id);
        for (const s of steps) {
          if (s.what === 'survey') {
            last = s.found;
            world.survey(last);
            const move = {
              survey: number++,
              findings: differing(last),
              again: false,
              ended: true,
            };
            await findings.follow(move);
            await findings.follow(move); // told twice: nothing more happens
          } else if (s.what === 'again') {
            world.survey(last);
            await findings.follow({
              survey: number - 1,
              findings: differing(last),
              again: true,
              ended: false,
            });
          } else if (s.what === 'days') now = addDays(now, s.days);
          else {
            world.pass();
            const of = [...world.model.values()].filter((m) => s.items.includes(m.item));
            const numbers = await ids(s.items);
            if (s.what === 'accept') {
              const until = addDays(now, s.days);
              const done = findings.triage(
                numbers,
                { act: 'accept', until: day(until), reason: 'known' },
                by,
              );
              if (s.days < 0) await expect(done).rejects.toMatchObject({ code: 'past' });
              else {
                const can = of.filter((m) => m.state !== 'fixed');
                expect(await done).toBe(can.length);
                for (const m of can) {
                  world.to(m, 'accepted', 'accepted');
                  m.until = until;
                }
              }
            } else if (s.what === 'reopen') {
              const can = of.filter((m) => m.state === 'accepted');
              expect(await findings.triage(numbers, { act: 'reopen' }, by)).toBe(can.length);
              for (const m of can) world.to(m, 'open', 'taken back');
            } else if (s.what === 'give') {
              const to = s.to ? by.address : null;
              const can = of.filter((m) => m.assignee !== to);
              expect(await findings.triage(numbers, { act: 'give', to }, by)).toBe(can.length);
              for (const m of can) Object.assign(m, { assignee: to, history: [...m.history, 'given'] });
            } else {
              expect(await findings.triage(numbers, { act: 'note', note: 'seen' }, by)).toBe(of.length);
              for (const m of of) Object.assign(m, { notes: m.notes + 1, history: [...m.history, 'note'] });
            }
          }
          world.pass();
          const { rows } = await findings.list(asked());
          const told = rows.map((r) => [r.item, r.state, r.points, r.assignee, r.notes, r.accepted?.until]);
          expect(told.sort()).toEqual(
            [...world.model.values()]
              .map((m) => [m.item, m.state, m.points, m.assignee, m.notes, m.until && day(m.until)])
              .sort(),
          );
        }
        for (const m of world.model.values()) {
          states.add(m.state);
          const [id] = await ids([m.item]);
          const { history } = (await findings.one(id!))!;
          expect(history.map((h) => h.what).sort()).toEqual([...m.history].sort());
        }
      }),
      { numRuns: 60 },
    );
    expect([...states].sort()).toEqual(['accepted', 'fixed', 'open', 'reopened']);
  });

  it('are listed, counted and grouped as going through them one by one would', async () => {
    const many = fc.array(seen(''), { minLength: 1, maxLength: 25 });
    const sorts = fc
      .shuffledSubarray([...FINDING_SORTS], { minLength: 1 })
      .chain((keys) =>
        fc.tuple(...keys.map((key) => fc.record({ key: fc.constant(key), down: fc.boolean() }))),
      );
    await fc.assert(
      fc.asyncProperty(many, sorts, fc.constantFrom(...FINDING_GROUPS), async (list, sort, group) => {
        await db.query('truncate finding cascade');
        await db.query("delete from setting where name = 'findings-survey'");
        const findings = new Findings(db, new Ledger(db, clock), clock);
        const found = list.map((s, n) => ({ ...s, item: `f${n}` }));
        await findings.follow({
          survey: 1,
          findings: differing(found),
          again: false,
          ended: true,
        });
        const { rows, total, points, open } = await findings.list(asked({ sort }));
        expect([total, open]).toEqual([found.length, found.length]);
        expect(points).toBe(found.reduce((sum, f) => sum + f.points, 0));
        const reach = (r: FindingRow): number => {
          const [a, b] = [TIERS.indexOf(r.now), TIERS.indexOf(r.could)];
          return Math.max(a, b) * TIERS.length + a;
        };
        const value = (r: FindingRow, key: (typeof FINDING_SORTS)[number]): number | string =>
          key === 'name'
            ? r.summary.name
            : key === 'reach'
              ? reach(r)
              : key === 'points'
                ? SEVERITIES.indexOf(r.severity) * 1e9 + r.points
                : r[key];
        for (const [n, r] of rows.slice(1).entries()) {
          const first = sort.find(({ key }) => value(rows[n]!, key) !== value(r, key));
          if (first) expect(value(rows[n]!, first.key) > value(r, first.key)).toBe(first.down);
        }
        // pages laid end to end are the whole
        const paged = [];
        for (let offset = 0; offset < found.length; offset += 7)
          paged.push(...(await findings.list(asked({ sort, limit: 7, offset }))).rows);
        expect(paged).toEqual(rows);

        const { groups } = await findings.groups({ state: 'open' }, group);
        const valuesOf: Record<FindingGroupBy, (f: Seen) => string[]> = {
          item: (f) => [f.item],
          space: (f) => [f.space],
          owner: () => [''],
          type: () => [''],
          domain: (f) => (f.domains.length ? f.domains : ['']),
          cause: () => [''],
          rule: () => [''],
        };
        for (const g of groups) {
          const mine = found.filter((f) =>
            group === 'item' ? `${f.item}.docx` === g.value : valuesOf[group](f).includes(g.value),
          );
          expect([g.findings, g.points, g.weight]).toEqual([
            mine.length,
            mine.reduce((sum, f) => sum + f.points, 0),
            Math.max(...mine.map((f) => f.weight)),
          ]);
        }
        expect(groups.length).toBe(new Set(found.flatMap(valuesOf[group])).size);
        expect(groups.map((g) => g.points)).toEqual(groups.map((g) => g.points).sort((a, b) => b - a));
      }),
      { numRuns: 60 },
    );
  });

  it('are breaches of what rules hit, opened, fixed and reopened by that alone, beside exposures', async () => {
    const RULES = ['r1', 'r2'];
    const KEYS = ['item:drives:i1', 'space:teams:s1', 'user:directory:u1'];
    const hit = fc.record({
      rule: fc.constantFrom(...RULES),
      key: fc.constantFrom(...KEYS),
      excepted: fc.boolean(),
      over: fc.boolean(),
    });
    const run = fc.record({
      hits: fc.uniqueArray(hit, { selector: (h) => `${h.rule} ${h.key}` }),
      rules: fc.subarray(RULES),
      severity: fc.constantFrom(...SEVERITIES),
      name: fc.constantFrom('Cards', 'Keys'),
      survey: fc.subarray(ITEMS).chain((items) => fc.tuple(...items.map(seen))),
      accept: fc.boolean(),
    });
    await fc.assert(
      fc.asyncProperty(fc.array(run, { minLength: 1, maxLength: 6 }), async (runs) => {
        await db.query('truncate finding, policy cascade');
        await db.query("delete from setting where name = 'findings-survey'");
        const [policy] = await db.query<{ id: number }>(
          "insert into policy (name, version, made_at, made_by) values ('P', 1, now(), 'ada') returning id",
        );
        const { id } = policy!;
        const findings = new Findings(db, new Ledger(db, clock), clock);
        const model = new Map<string, { state: FindingRow['state']; history: string[] }>();
        let number = 0;
        for (const r of runs) {
          await findings.follow({
            survey: ++number,
            findings: differing(r.survey),
            again: false,
            ended: true,
          });
          await db.query('delete from rule_hit');
          for (const h of r.hits)
            await db.query(
              `insert into rule_hit (policy, rule, key, version, since, since_survey, over_at, told, doc, excepted)
               values ($1, $2, $3, 1, now(), 1, $4, gen_random_uuid(), $5::jsonb, $6)`,
              [
                id,
                h.rule,
                h.key,
                h.over ? now : null,
                JSON.stringify({ subject: 'item', name: h.key, where: '', values: [], open: h.key }),
                h.excepted ? 1 : null,
              ],
            );
          const rules = r.rules.map((rule) => ({
            id: rule,
            name: `${r.name} ${rule}`,
            severity: r.severity,
          }));
          // twice is no more than once
          for (let k = 0; k < 2; k++)
            await db.transaction((tx) => findings.breaches(tx, { id, name: r.name }, rules, number));
          findings.forget();
          const there = new Set(
            r.hits
              .filter((h) => !h.over && !h.excepted && r.rules.includes(h.rule))
              .map((h) => `${h.rule} ${h.key}`),
          );
          for (const key of there) {
            const m = model.get(key);
            if (!m) model.set(key, { state: 'open', history: ['opened'] });
            else if (m.state === 'fixed')
              Object.assign(m, { state: 'reopened', history: [...m.history, 'reopened'] });
          }
          for (const [key, m] of model)
            if (m.state !== 'fixed' && !there.has(key))
              Object.assign(m, { state: 'fixed', history: [...m.history, 'fixed'] });

          const rows = (await findings.list(asked({ kind: 'breach' }))).rows;
          expect(
            new Map(rows.map((b) => [`${b.summary.breach!.rule} ${b.summary.breach!.key}`, b.state])),
          ).toEqual(new Map([...model].map(([key, m]) => [key, m.state])));
          for (const b of rows) {
            const name = `${b.summary.breach!.rule} ${b.summary.breach!.key}`;
            const { history } = (await findings.one(b.id))!;
            expect(history.map((h) => h.what).sort()).toEqual([...model.get(name)!.history].sort());
            if (there.has(name)) {
              expect([b.severity, b.summary.breach!.policyName]).toEqual([r.severity, r.name]);
              expect(b.summary.breach!.ruleName).toBe(`${r.name} ${b.summary.breach!.rule}`);
            }
          }
          // what surveys found is as it was
          const exposures = (await findings.list(asked({ kind: 'exposure', state: 'open' }))).rows;
          expect(exposures.map((e) => e.item).sort()).toEqual(r.survey.map((f) => f.item).sort());
          const open = rows.filter((b) => b.state === 'open' || b.state === 'reopened').map((b) => b.id);
          if (r.accept && open.length) {
            await findings.triage(
              open,
              { act: 'accept', until: day(addDays(now, 9)), reason: 'for now' },
              by,
            );
            for (const key of there) {
              const m = model.get(key)!;
              if (m.state !== 'accepted')
                Object.assign(m, { state: 'accepted', history: [...m.history, 'accepted'] });
            }
          }
        }
      }),
      { numRuns: 20 },
    );
  });
});
