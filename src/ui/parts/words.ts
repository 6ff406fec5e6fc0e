import { TIERS, type Capability, type Tier } from '../../core/model.ts';
import type { ChangeState, PlanState } from '../../dto/remedy.ts';
import type { EntryRef } from '../../dto/access.ts';
import type { AskedValue, Fix } from '../../dto/exposure.ts';
import { dayWords } from './dates.ts';

/** A grant or link in words. */
export const entryWords = (e: EntryRef): string =>
  e.kind === 'link'
    ? `the sharing link for ${e.to}, on ${e.on.kind} “${e.on.name}” (${e.role})`
    : `the grant to ${e.to} on ${e.on.kind} “${e.on.name}” (${e.role})`;

export const PLAN_WORDS: Record<PlanState, string> = {
  draft: 'draft: nothing done yet',
  asked: 'waits for a second steward',
  approved: 'approved: nothing done yet',
  scheduled: 'will be applied',
  applying: 'being applied',
  applied: 'applied',
  undoing: 'being undone',
  undone: 'undone',
  discarded: 'discarded',
};

export const CHANGE_WORDS: Record<ChangeState, string> = {
  planned: 'not begun',
  sending: 'being sent',
  sent: 'sent, not verified yet',
  verified: 'done, verified',
  'already-gone': 'already so',
  unexpected: 'not as expected',
  failed: 'failed',
  left: 'skipped: the plan was stopped',
  'undo-planned': 'to be put back',
  'undo-sending': 'being put back',
  'undo-sent': 'put back, not verified yet',
  undone: 'put back, verified',
  'undo-unexpected': 'not as expected',
  'undo-failed': 'putting back failed',
};

const DEEDS: Record<string, string> = {
  'sign-in': 'signed in',
  'sign-in.refused': 'was refused sign-in',
  'sign-out': 'signed out',
  'sign-in.set': 'changed how one signs in',
  'sign-in.lowered': 'loosened how one signs in',
  'sso.asked': 'proposed single sign-on',
  'sso.set': 'changed single sign-on',
  'sso.refused': 'rejected single sign-on',
  'events.secret-made': 'made the secret of a workspace',
  'events.secret-ended': 'ended the secret of a workspace',
  'events.kept-for': 'changed how long events are kept',
  'order.made': 'made a standing order',
  'order.changed': 'changed a standing order',
  'order.removed': 'removed a standing order',
  'order.excepted': 'accepted something until a day',
  'order.exception-ended': 'ended an exception',
  'run.begun': 'began a standing order by hand',
  'run.cancelled': 'cancelled a run',
  'run.hurried': 'let a run go on',
  'question.asked': 'asked somebody',
  'question.answered': 'answered a question',
  'question.passed-on': 'asked somebody else, as nobody had answered',
  'question.over': 'closed a question that nobody had answered in time',
  'round.begun': 'began a round',
  'round.reminded': 'reminded those who are asked in a round',
  'round.extended': 'gave more time to answer in a round',
  'round.reassigned': 'asked somebody else in a round',
  'round.answered': 'answered in a round for those who were asked',
  'round.ended': 'ended a round',
  'reasons.set': 'changed the reasons to choose from',
  'sharing.suspended': 'suspended sharing by somebody',
  'sharing.let': 'let somebody share again',
  'mail.set': 'changed how mail goes out',
  'message.failed': 'could not send a message',
  'message.retried': 'sent a message again',
  'messages.wished': 'changed how they are told',
  'alerts.set': 'changed who is told of what',
  'signals.added': 'began to look for signals',
  'signals.changed': 'changed what signals are looked for',
  'signals.removed': 'stopped looking for signals',
  'signal.settled': 'looked at a signal',
  'schedule.set': 'changed when surveys are made',
  'retention.set': 'changed how long surveys are kept',
  'runs.dropped': 'dropped old runs and messages',
  'surveys.dropped': 'dropped old surveys',
  'backup.made': 'made a backup',
  'key.rotated': 'changed the key',
  'scim.token': 'changed the SCIM token',
  'account.changed': 'changed an account',
  'token.made': 'created an API token',
  'token.ended': 'ended an API token',
  'account.held': 'changed what an account is limited to',
  'second-factor.added': 'added a second factor',
  'second-factor.removed': 'removed a second factor',
  'second-factor.codes': 'created recovery codes',
  'second-factor.recovery-used': 'used a recovery code',
  'account.made': 'created an account',
  'source.added': 'added a source',
  'source.changed': 'changed a source',
  'survey.started': 'started a survey',
  'survey.done': 'finished a survey',
  'survey.failed': 'survey failed',
  'survey.cancelled': 'survey was cancelled',
  'survey.cancel-asked': 'asked to cancel a survey',
  'survey.interrupted': 'survey was interrupted',
  'plan.made': 'created a plan',
  'plan.applying': 'began applying a plan',
  'plan.applied': 'finished applying a plan',
  'plan.undoing': 'began undoing a plan',
  'plan.undone': 'finished undoing a plan',
  'plan.discarded': 'discarded a plan',
  'plan.resumed': 'resumed a plan',
  'plan.taken-up': 'resumed a plan after a restart',
  'plan.paused': 'paused a plan',
  'plan.cancelled': 'stopped a plan',
  'plan.draft': 'returned a plan to draft',
  'plan.asked': 'requested approval of a plan',
  'plan.approved': 'approved a plan',
  'plan.scheduled': 'scheduled a plan',
  'plan.change.came-back': 'found brought back',
  'plan.goal-broken': 'found a goal that does not hold any more',
  'plan.change.left': 'skipped a change',
  'account.invited': 'invited somebody',
  'account.taken-up': 'took up an invitation',
  'account.role': 'changed a role',
  'account.role-asked': 'asked for a role',
  'account.role-refused': 'did not confirm a role',
  'account.disabled': 'disabled an account',
  'account.enabled': 'enabled an account',
  'account.sessions-ended': 'ended the sessions of an account',
  'account.password': 'changed a password',
  'session.ended': 'ended a session',
  'source.paused': 'paused a source',
  'source.resumed': 'resumed a source',
  'source.removed': 'removed a source',
  'approval.set': 'changed the approval limits',
  'approval.proposed': 'proposed looser approval limits',
  'approval.lowered': 'approved looser approval limits',
  'approval.refused': 'did not approve looser limits',
  'plan.undo-asked': 'requested approval to undo a plan',
  'plan.undo-approved': 'approved undoing a plan',
  'plan.undo-refused': 'did not approve undoing a plan',
  'evidence.signed': 'signed evidence',
  'plan.preview-renewed': 'refreshed a preview',
  'plan.change.sending': 'is sending a change',
  'plan.change.sent': 'sent a change',
  'plan.change.verified': 'verified a change',
  'plan.change.already-gone': 'found a change already made',
  'plan.change.unexpected': 'found something unexpected',
  'plan.change.failed': 'could not make a change',
  'plan.change.undo-sending': 'is putting back',
  'plan.change.undo-sent': 'put back',
  'plan.change.undone': 'verified what was put back',
  'plan.change.undo-unexpected': 'found something unexpected',
  'plan.change.undo-failed': 'could not put back',
  'data-type.made': 'created a data type',
  'data-type.changed': 'changed a data type',
  'data-type.removed': 'removed a data type',
  'certainty.set': 'changed which matches count',
  'pictures.set': 'changed whether pictures are read',
  'policy.made': 'created a policy',
  'policy.changed': 'changed a policy',
  'decisions.token-made': 'made a token for decisions',
  'decisions.token-ended': 'ended a token for decisions',
  'policy.removed': 'removed a policy',
  'policy.excepted': 'made an exception of a policy',
  'policy.marked': 'marked a hit of a rule right or wrong',
  'policy.exception-ended': 'ended an exception of a policy',
  'pack.made': 'created a pack',
  'pack.changed': 'changed a pack',
  'pack.removed': 'removed a pack',
  'file.scanned': 'scanned a file',
  'partner.named': 'named a partner',
  'partner.changed': 'changed a partner',
  'partner.dropped': 'removed a partner',
  'findings.accept': 'accepted',
  'findings.reopen': 'took back what was accepted:',
  'findings.give': 'gave',
  'findings.note': 'commented on',
  'table.exported': 'exported a table',
  'ledger.exported': 'exported the ledger',
  'extract.exported': 'exported an extract',
};
export const deedWords = (what: string): string => DEEDS[what] ?? what;

/** Sizes in bytes, with a unit. */
export function bytesWords(n: number): string {
  const units = ['B', 'kB', 'MB', 'GB', 'TB'];
  let u = 0;
  // what would be written as a thousand is one of the next
  while ((u ? n >= 999.95 : n >= 1000) && u < units.length - 1) {
    n /= 1000;
    u++;
  }
  return `${u ? n.toFixed(1) : n} ${units[u]}`;
}

/** What somebody can do, by the most of it. */
export function canWords(capabilities: readonly Capability[]): string {
  const has = (c: Capability) => capabilities.includes(c);
  const most = has('delete')
    ? 'owns'
    : has('manage')
      ? 'manages'
      : has('edit')
        ? 'edits'
        : has('comment')
          ? 'comments'
          : has('open')
            ? 'reads'
            : 'nothing';
  return has('open') && !has('find') ? `${most}, not found by search` : most;
}

/** A name as an id: small letters, digits and dashes. */
export const slug = (name: string): string =>
  name
    .toLowerCase()
    .normalize('NFD')
    .replace(/[\u0300-\u036f]/g, '')
    .replace(/[^a-z0-9]+/g, '-')
    .replace(/^-+|-+$/g, '')
    .slice(0, 48);

/** What a fix closes, and who would feel it. */
export const fixCost = (f: Fix, points: number): string => {
  const who = [f.members && count(f.members, 'member'), f.external && count(f.external, 'outsider')]
    .filter(Boolean)
    .join(', ');
  return `closes ${f.closes === points ? 'all' : `${f.closes} of ${points}`}; felt by ${who || 'nobody'}`;
};
const count = (n: number, one: string): string => `${n.toLocaleString('en')} ${one}${n === 1 ? '' : 's'}`;

/** A tier as a column's head, which is narrow. */
export const tierHead = (t: Tier): string => (t === 'organisation' ? 'organis.' : t);

/** A value that a condition asked about. */
export function valueWords([field, value]: AskedValue): string {
  if (value === null) return `${field}: none`;
  if (Array.isArray(value)) return `${field}: ${value.join(', ') || 'none'}`;
  if ((field === 'now' || field === 'could') && typeof value === 'number')
    return `${field}: ${TIERS[value] ?? value}`;
  if (typeof value === 'number' && value > 1e11)
    return `${field}: ${dayWords(new Date(value).toISOString())}`;
  return `${field}: ${typeof value === 'boolean' ? (value ? 'yes' : 'no') : String(value)}`;
}
