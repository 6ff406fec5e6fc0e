import { readFileSync } from 'node:fs';
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { SEVERITIES } from '../exposure/exposure.ts';
import { ALERT_KINDS, alertFits, OWN_ACCOUNT, WAITS_FOR_SECOND, type AlertRule } from './alerts.ts';

const rule: AlertRule = {
  kinds: ['signal'],
  from: 'medium',
  workspaces: [],
  types: [],
  to: [{ stewards: true }],
  gathered: false,
};

describe('a rule of who is told', () => {
  it('tells of its kinds, from its severity on, in any of its workspaces, holding any of its data types', () => {
    const some = fc.subarray(['a', 'b', 'c']);
    fc.assert(
      fc.property(
        fc.record({
          kinds: fc.subarray(ALERT_KINDS),
          from: fc.constantFrom(...SEVERITIES),
          workspaces: some,
          types: some,
        }),
        fc.record({
          kind: fc.constantFrom(...ALERT_KINDS),
          severity: fc.constantFrom(...SEVERITIES),
          workspaces: some,
          types: some,
        }),
        (wanted, about) => {
          const worse = SEVERITIES.slice(SEVERITIES.indexOf(wanted.from));
          const meets = (want: string[], have: string[]): boolean =>
            want.length === 0 || new Set([...want, ...have]).size < want.length + have.length;
          expect(alertFits({ ...rule, ...wanted }, about)).toBe(
            wanted.kinds.includes(about.kind) &&
              worse.includes(about.severity) &&
              meets(wanted.workspaces, about.workspaces) &&
              meets(wanted.types, about.types),
          );
        },
      ),
    );
  });

  it('knows entries of the ledger that there are', () => {
    const written = ['account-admin', 'accounts', 'second-factor', 'sso', 'plans/runner', 'plans/limits']
      .map((f) => readFileSync(new URL(`../../services/${f}.ts`, import.meta.url), 'utf8'))
      .join('\n');
    for (const what of [...Object.keys(OWN_ACCOUNT), ...Object.keys(WAITS_FOR_SECOND)])
      if (what !== 'plan.asked') expect(written, what).toContain(`'${what}'`);
  });
});
