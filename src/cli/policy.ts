/** Policies as files: checked, tried on an extract, and held to their own cases (docs/policies.md). */
import { byCode } from '../core/sorts.ts';
import { casesOf } from '../core/guard/cases.ts';
import { budgetFor, ruleTest, subjectId, subjectsOf } from '../core/guard/judge.ts';
import { readPolicy } from '../core/guard/policy.ts';
import type { Policy } from '../core/guard/schema.ts';
import { holdingTypes, openFacts, type FactsOptions } from './facts.ts';
import { CliError, eachOf, print } from './messages.ts';

/** A file with more megabytes is no policy. */
const LONGEST_MB = 5;

function policiesOf(file: string): Policy[] {
  const types = holdingTypes(0);
  return eachOf(file, LONGEST_MB, 'policy', (value) => {
    const { policy: of, wrong } = readPolicy(value, types);
    return { of, wrong };
  });
}

/** Prints `{name, rules}` of each policy; everything that is wrong with them goes to stderr, and exits with 2. */
export async function checkPolicy(file: string): Promise<void> {
  for (const { name, rules } of policiesOf(file)) await print({ name, rules: rules.length });
}

/** Prints `{rule, subject, id, mode, responses}` for each hit, by the order of the rules, then by id. */
export async function tryPolicy(dir: string, file: string, options: FactsOptions): Promise<void> {
  const policies = policiesOf(file);
  const facts = await openFacts(dir, options);
  const { getters } = facts;
  for (const policy of policies)
    for (const rule of policy.rules) {
      const subjects = [...subjectsOf(facts, rule.subject)];
      const hits = ruleTest(policy, rule, facts, getters, budgetFor(subjects.length));
      for (const id of subjects
        .filter(hits)
        .map((n) => subjectId(facts, rule.subject, n))
        .sort(byCode))
        await print({
          rule: rule.id,
          subject: rule.subject,
          id,
          mode: rule.mode,
          responses: rule.responses.map((r) => r.do),
        });
    }
}

/** Tries the cases of each policy; prints `{policy, case, rule, expected, hit}` of each that fails. Exit code 1 where one does. */
export async function testPolicy(file: string): Promise<void> {
  let cases = 0;
  let failed = 0;
  for (const policy of policiesOf(file)) {
    cases += policy.cases?.length ?? 0;
    for (const { name, rule, expected, hit } of casesOf(policy, holdingTypes(55))) {
      if (expected === hit) continue;
      failed++;
      await print({ policy: policy.name, case: name, rule, expected, hit });
    }
  }
  if (!cases) throw new CliError(`${file} has no cases.`);
  await print({ cases, failed });
  if (failed) process.exitCode = 1;
}
