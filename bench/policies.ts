/** Policies at size: forty rules over everything, and one rule as it is edited, against the CEL library on the same rows. */
import { NO_CHARTERS } from '../src/core/ask/charter.ts';
import { spaceFacts } from '../src/core/ask/spaces.ts';
import { usageOf } from '../src/core/access/usage.ts';
import { newEnforcer, newModelFromString } from 'casbin';
import { Environment } from '@marcbachmann/cel-js';
import { PRINCIPAL } from '../src/core/access/organisation.ts';
import { who } from '../src/core/access/questions.ts';
import { reach } from '../src/core/access/reach.ts';
import { view } from '../src/core/access/view.ts';
import { findExposures } from '../src/core/exposure/find.ts';
import { emptyTally } from '../src/core/exposure/tally.ts';
import { CONSTANTS } from '../src/core/filter/fields.ts';
import { fieldsOf } from '../src/core/filter/filter.ts';
import { holdsIn, type Holding } from '../src/core/filter/holds.ts';
import { SUBJECTS } from '../src/core/guard/kinds.ts';
import { ruleTest, subjectsOf } from '../src/core/guard/judge.ts';
import { decider, type Armed, type Asked } from '../src/core/guard/decide.ts';
import { possibleAt } from '../src/core/guard/responses.ts';
import type { Rule } from '../src/core/guard/schema.ts';
import { STARTERS } from '../src/core/guard/starters.ts';
import { subjectGetters } from '../src/core/guard/subjects.ts';
import { TIERS, type Tier } from '../src/core/model.ts';
import { PACKS } from '../src/core/recognise/packs.ts';
import type { Found } from '../src/core/recognise/types.ts';
import { DATA_TYPES, dataType } from '../src/core/recognise/types/index.ts';
import { build } from './access.ts';
import { sizeOf } from './organisation.ts';
import { ratio } from './ratios.ts';

const say = (line: string): void => void process.stdout.write(`${line}\n`);
const mixed = (n: number, of: number): number => (Math.imul(n + 1, 2654435761) >>> 9) % of;
const RULES = 40;
/** One file of so many holds something. */
const HOLDING = 50;
/** So many rows are asked of the library. */
const SAMPLE = 20_000;
const BUDGET = 1e12;

export async function policies(scale: number): Promise<void> {
  const org = build(sizeOf(scale));
  const v = view(org);
  const I = org.itemIds.length;
  const S = org.spaces.length;
  const weights = Uint8Array.from({ length: I }, (_, i) => (mixed(i, HOLDING) ? 0 : 1 + mixed(i, 4)));
  const found = new Map<number, Found[]>();
  for (let i = 0; i < I; i++) {
    if (mixed(i, HOLDING)) continue;
    const { id } = DATA_TYPES[mixed(i + 7, DATA_TYPES.length)]!;
    const n = 1 + mixed(i + 3, 5);
    found.set(i, [
      {
        dataType: id,
        distinct: n,
        occurrences: n,
        certainty: 80,
        levels: [[80, n, n]],
        matches: [],
        hashes: [],
      },
    ]);
  }
  const tally = emptyTally(v, new Uint8Array(I).fill(1), weights);
  const columns = reach(v, undefined, undefined, tally);
  const types = {
    from: (id: string) => (dataType(id) ? 55 : undefined),
    pack: (id: string) => PACKS.find((p) => p.id === id)?.types,
  };
  const label = (i: number): string | undefined => (mixed(i, 30) ? undefined : 'confidential');
  const made = () =>
    subjectGetters({
      view: v,
      columns,
      items: {
        name: (i) => `file ${i}.txt`,
        label,
        mime: () => undefined,
        isFile: new Uint8Array(I).fill(1),
      },
      weight: (n) => (n < S ? 2 : weights[n - S]!),
      exposures: findExposures(v, columns, weights),
      appList: () => [],
      letIn: () => [],
      approval: () => undefined,
      apps: () => 0,
      types: (i) => (found.get(i) ?? []).map((f) => f.dataType),
      holds: (i, asked: Holding) => holdsIn(found.get(i) ?? [], asked, types),
      modified: () => v.moment - 86_400_000,
      sizeBytes: () => 1000,
      tally: () => tally,
      lastDeeds: () => new Float64Array(tally.files.length),
      spaces: spaceFacts({
        view: v,
        usage: () => usageOf(v.org, []),
        modified: () => new Float64Array(v.org.itemIds.length),
        charters: () => NO_CHARTERS,
        group: () => undefined,
      }),
      entry: { madeBy: () => -1, password: () => false, lastUsed: () => NaN },
    });
  const facts = { view: v, label };
  const all = STARTERS.flatMap(({ policy }) =>
    policy.rules.filter((r) => r.atRest).map((rule) => ({ policy, rule })),
  );
  const rules = Array.from({ length: RULES }, (_, n) => all[n % all.length]!);
  say(`${I} items, ${org.entries.ids.length} grants and links, ${v.identityCount} people`);

  let getters = made();
  const from = performance.now();
  let hits = 0;
  const slowest: [number, string][] = [];
  for (const { policy, rule } of rules) {
    const at = performance.now();
    const test = ruleTest(policy, rule, facts, getters, BUDGET);
    for (const n of subjectsOf({ view: v }, rule.subject)) if (test(n)) hits++;
    slowest.push([performance.now() - at, rule.if]);
  }
  const took = performance.now() - from;
  say(`${RULES} rules: ${(took / 1000).toFixed(2)} s, ${hits} hits`);
  for (const [t, text] of slowest.sort((a, b) => b[0] - a[0]).slice(0, 5))
    say(`  ${t.toFixed(0)} ms ${text}`);

  const edited: Rule = {
    id: 'r1',
    name: 'edited',
    subject: 'item',
    atRest: true,
    if: 'weight >= 3 && could >= outside && kind == "file"',
    mode: 'observe',
    severity: 'low',
    responses: [],
  };
  getters = made();
  const test = ruleTest({}, edited, facts, getters, BUDGET);
  const one = performance.now();
  let live = 0;
  for (const n of subjectsOf({ view: v }, 'item')) if (test(n)) live++;
  const own = performance.now() - one;

  const env = new Environment({ unlistedVariablesAreDyn: true });
  for (const [name, value] of Object.entries(CONSTANTS)) env.registerConstant(name, 'int', BigInt(value));
  const parsed = env.parse(edited.if);
  const names = fieldsOf(edited.if, SUBJECTS.item.fields);
  const read = getters.item as unknown as Record<string, (n: number) => unknown>;
  const rows = Array.from({ length: Math.min(SAMPLE, I) }, (_, i) => i + S);
  let [same, again] = [0, 0];
  const start = performance.now();
  for (const n of rows) {
    const row = Object.fromEntries(
      names.map((name) => {
        const value = read[name]!(n);
        return [name, typeof value === 'number' ? BigInt(value) : value];
      }),
    );
    if (parsed(row) === true) same++;
  }
  const library = performance.now() - start;
  for (const n of rows) if (test(n)) again++;
  if (same !== again) throw new Error('The two do not hold alike.');
  ratio('a rule as it is edited, a row, against the CEL library', own / I, library / rows.length);
  ratio(
    'forty rules over everything, against as many rows of the CEL library',
    took / RULES,
    (library / rows.length) * I,
  );
  say(
    `a rule as it is edited: ${own.toFixed(0)} ms for ${I} (${live} hits); the CEL library ${((library / rows.length) * I).toFixed(0)} ms, by ${rows.length} rows`,
  );

  // decisions: sharing with somebody outside, by forty rules that are asked at the moment
  const armed = rules
    .filter(({ rule }) => possibleAt('caution', rule.subject, 'atMoment'))
    .map(({ policy, rule }, n): Armed => ({
      policy: n,
      version: 1,
      doc: policy,
      rule: { ...rule, moments: ['share'], mode: 'enforce', responses: [{ do: 'caution' }] },
      excepted: () => undefined,
    }));
  const judge = decider({ ...facts, getters, withoutCopies: () => false }, armed);
  const questions = Array.from({ length: SAMPLE }, (_, n): Asked => {
    const node = S + mixed(n, I);
    return {
      action: 'share',
      node,
      actor: org.itemOwner[node - S]! >= 0 ? org.itemOwner[node - S]! : mixed(n, org.users.length),
      sharing: {
        principals: [{ kind: PRINCIPAL.user, n: -1, address: `p${n}@elsewhere.example` }],
        role: 0,
        expires: Infinity,
      },
      checked: false,
    };
  });
  for (const q of questions.slice(0, 1000)) judge(q);
  const times = questions.map((q) => {
    const at = performance.now();
    judge(q);
    return performance.now() - at;
  });
  const sum = times.reduce((a, b) => a + b, 0);
  const p99 = times.toSorted((a, b) => a - b)[Math.floor(times.length * 0.99)]!;
  say(
    `decisions by ${armed.length} rules: ${Math.round(times.length / (sum / 1000))} a second, p99 ${p99.toFixed(3)} ms`,
  );
  const few = questions.slice(0, 300);
  const whole = performance.now();
  for (const q of few) who(v, q.node);
  const everybody = performance.now() - whole;
  ratio(
    'a decision, against reading who all reaches what it is about',
    sum / times.length,
    everybody / few.length,
  );
  await againstCasbin(
    armed,
    (some) => decider({ ...facts, getters, withoutCopies: () => false }, some),
    questions.slice(0, ASKED_OF_CASBIN),
    (node) => found.get(node - S) ?? [],
  );
}

const ASKED_OF_CASBIN = 2000;
/** A condition that casbin can be given as an expression over what is resolved for it. */
const PLAIN = /^could >= (\w+) && holds\("([\w-]+)"(?:, \{"distinct": (\d+)\})?\)$/;

/**
 * The same questions by the same rules to casbin, which is given how far the sharing reaches and what the file holds: working
 * these out is not in its time, and is in ours.
 */
async function againstCasbin(
  armed: readonly Armed[],
  judgeOf: (some: readonly Armed[]) => ReturnType<typeof decider>,
  questions: readonly Asked[],
  foundIn: (node: number) => readonly Found[],
): Promise<void> {
  const plain = armed.flatMap((a) => {
    const asked = PLAIN.exec(a.rule.if);
    return asked
      ? [{ armed: { ...a, rule: { ...a.rule, responses: [{ do: 'refuse' as const }] } }, asked }]
      : [];
  });
  const enforcer = await newEnforcer(
    newModelFromString(
      '[request_definition]\nr = obj, act\n[policy_definition]\np = rule, act, eft\n[policy_effect]\ne = !some(where (p.eft == deny))\n[matchers]\nm = r.act == p.act && eval(p.rule)\n',
    ),
  );
  await enforcer.addFunction(
    'held',
    (obj: { held: Map<string, number> }, type: string) => obj.held.get(type) ?? 0,
  );
  await enforcer.addPolicies(
    plain.map(({ asked: [, tier, type, distinct = '1'] }) => [
      `r.obj.could >= ${TIERS.indexOf(tier as Tier)} && held(r.obj, '${type}') >= ${distinct}`,
      'share',
      'deny',
    ]),
  );
  const judge = judgeOf(plain.map((p) => p.armed));
  const given = questions.map((q) => ({
    could: TIERS.indexOf('outside'),
    held: new Map(foundIn(q.node).map((f) => [f.dataType, f.distinct])),
  }));
  const from = performance.now();
  const ours = questions.map((q) => judge({ ...q, checked: true }).decision);
  const mine = performance.now() - from;
  const start = performance.now();
  const theirs = given.map((obj) => enforcer.enforceSync(obj, 'share'));
  const casbin = performance.now() - start;
  const refused = ours.filter((d) => !d).length;
  if (!refused || ours.some((d, n) => d !== theirs[n])) throw new Error('casbin and we do not decide alike.');
  ratio('a decision, against casbin given the resolved access', mine, casbin);
  say(
    `${questions.length} decisions by ${plain.length} rules, ${refused} refused: ${(mine / questions.length).toFixed(4)} ms each; casbin, given what is reached and held, ${(casbin / questions.length).toFixed(4)} ms`,
  );
}
