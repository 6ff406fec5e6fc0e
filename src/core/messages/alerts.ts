/** Who is told of what by itself: rules that stewards set, each by kind, severity and scope. Pure. */
import { z } from 'zod';
import { SEVERITIES, type Severity } from '../exposure/exposure.ts';
import { recipientSchema } from '../guard/schema.ts';

/** What can be told of, as it reads after “Tell of”. */
export const ALERTS = {
  signal: 'signals',
  hit: 'new hits of rules',
  run: 'runs that need a look',
  approval: 'what waits for a second steward',
  suspended: 'suspended sharing',
} as const;
export type AlertKind = keyof typeof ALERTS;
export const ALERT_KINDS = Object.keys(ALERTS) as AlertKind[];

const names = z.array(z.string().trim().min(1).max(200)).max(50);

/** One rule. No workspaces or data types: whatever the workspace or what it holds. */
const alertRuleSchema = z.strictObject({
  kinds: z.array(z.enum(ALERT_KINDS)).min(1, 'choose what to tell of'),
  from: z.enum(SEVERITIES),
  workspaces: names,
  types: names,
  to: z.array(recipientSchema).min(1, 'choose who is told').max(20),
  /** It comes with other messages, as whoever reads it wants, however severe it is. */
  gathered: z.boolean(),
});
export type AlertRule = z.infer<typeof alertRuleSchema>;
/** All of them, as they are set. */
export const alertRulesForm = z.object({ rules: z.array(alertRuleSchema).max(50) });

/** What a rule is asked about. */
export interface AlertAbout {
  kind: AlertKind;
  severity: Severity;
  workspaces: readonly string[];
  types: readonly string[];
}

/** Whether a rule tells of it: of what lies in several workspaces, if it is for one of them. */
export function alertFits(rule: AlertRule, about: AlertAbout): boolean {
  const some = (wanted: readonly string[], had: readonly string[]): boolean =>
    !wanted.length || wanted.some((w) => had.includes(w));
  return (
    rule.kinds.includes(about.kind) &&
    SEVERITIES.indexOf(about.severity) >= SEVERITIES.indexOf(rule.from) &&
    some(rule.workspaces, about.workspaces) &&
    some(rule.types, about.types)
  );
}

/** What of the ledger waits for a second steward, and where it is looked at. */
export const WAITS_FOR_SECOND: Readonly<Record<string, readonly [what: string, path: string]>> = {
  'plan.asked': ['A plan', '/remedy/plans'],
  'plan.undo-asked': ['Undoing a plan', '/remedy/plans'],
  'approval.proposed': ['A change of what needs approval', '/remedy/plans'],
  'account.role-asked': ['A role', '/accounts'],
  'sso.asked': ['A change of single sign-on', '/accounts'],
};

/** What is told to whoever has the account. */
export const OWN_ACCOUNT: Readonly<Record<string, string>> = {
  'account.password': 'The password of your account was changed.',
  'account.role': 'Your role was changed.',
  'account.held': 'What your account can see was changed.',
  'account.sessions-ended': 'All sessions of your account were ended.',
  'account.disabled': 'Your account was disabled.',
  'account.enabled': 'Your account was enabled again.',
  'second-factor.added': 'A second factor was added to your account.',
  'second-factor.removed': 'A second factor was removed from your account.',
  'second-factor.codes': 'New recovery codes were made for your account.',
  'second-factor.recovery-used': 'A recovery code was used to sign in to your account.',
};
