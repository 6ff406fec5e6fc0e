/**
 * What somebody is about to do, judged by the rules in force: whether it may be done, and under which obligations. Pure.
 * Of something that is about to be shared, how far it reaches is how far this sharing reaches: what is open to others
 * already stops nobody from sending it to a colleague.
 */
import { anyBoth, has } from '../access/bits.ts';
import { PRINCIPAL, spaceOfNode } from '../access/organisation.ts';
import type { GrantOfApp } from '../apps/judged.ts';
import { can } from '../access/questions.ts';
import type { Budget } from '../filter/filter.ts';
import { CAP, domainOf, TIERS, type Audience, type Tier } from '../model.ts';
import { ruleTest, type ScopeFacts } from './judge.ts';
import { possibleAt, RESPONSES, type ResponseName, type RuleResponse } from './responses.ts';
import { MOMENTS, type Policy, type Rule } from './schema.ts';
import type { Principal, Readers, SubjectGetters } from './subjects.ts';

export type Moment = (typeof MOMENTS)[number];

/** Somebody about to do something to a file, folder or space. */
export interface Asked {
  action: Moment;
  node: number;
  /** Number of the identity; −1 where nothing is known of them. */
  actor: number;
  /** To whom something is about to be shared. */
  sharing?: {
    principals: Principal[];
    /** Of a link; absent for a grant. */
    audience?: Audience;
    /** Number of the role. */
    role: number;
    expires: number;
  };
  /** The app that is about to be let in; then there is no node. */
  app?: GrantOfApp;
  /** The workspace has looked at its own permissions: rules alone are asked. */
  checked: boolean;
  /** They were cautioned and go on, for this reason where they gave one. */
  goesOn?: { reason?: string };
}

/** A rule that is judged at the moment, and of what. */
export interface Armed {
  policy: number;
  version: number;
  doc: Policy;
  rule: Rule;
  /** Things that are left out. */
  excepted(subject: number): number | undefined;
}

/** What has to be observed by the workspace. */
export type Obligation =
  { id: 'caution'; text: string; reason: boolean } | { id: 'without-copies' } | { id: 'ask-first' };

export interface Judged {
  decision: boolean;
  /** What is said to whoever it hits. */
  said?: string;
  obligations: Obligation[];
  /** The rule that decides; absent where access does. */
  by?: Armed;
  /** The access that is missing. */
  lacks?: 'open' | 'copy' | 'share' | 'edit';
  /** All rules that hit it, those that only observe too. */
  hits: Armed[];
  /** They were cautioned, and go on. */
  wentOn: boolean;
}

/** What one must be able to do for each. */
const NEEDS = {
  share: 'share',
  open: 'open',
  download: 'copy',
  print: 'copy',
  copy: 'copy',
  move: 'edit',
  upload: 'edit',
} as const satisfies Record<Exclude<Moment, 'consent'>, string>;
/** The number of the app that is about to be let in. */
const PENDING_APP = 0;
/** Steps that all rules together may take to decide once. */
const STEPS = 200_000;
const tierOf = (t: Tier): number => TIERS.indexOf(t);
/** Those that are named, of whom nobody is from outside. */
const INSIDE = tierOf('team');

export interface DecideFacts extends ScopeFacts {
  getters: Readers;
  /** Whether a file, or its space, is without copies for readers and commenters. */
  withoutCopies(node: number): boolean;
}

/** How far something reaches by being shared so. */
function tierOfSharing(f: DecideFacts, { principals, audience }: NonNullable<Asked['sharing']>): number {
  const { view: v } = f;
  if (audience === 'anyone') return tierOf('public');
  if (audience === 'organisation') return tierOf('organisation');
  const ofDomain = (name: string): number => {
    const { standing } = f.getters.domain(name);
    return standing === 'own' ? INSIDE : tierOf(standing === 'partner' ? 'partner' : 'outside');
  };
  return Math.max(
    INSIDE,
    ...principals.map(({ kind, n, address }) => {
      if (kind === PRINCIPAL.anyone) return tierOf('public');
      if (kind === PRINCIPAL.everyone) return tierOf('organisation');
      if (kind === PRINCIPAL.domain) return ofDomain(n < 0 ? (address ?? '') : v.org.domains[n]!);
      if (n < 0) return address === undefined ? INSIDE : ofDomain(domainOf(address));
      if (kind === PRINCIPAL.group) {
        const of = v.groupMembers[n]!;
        if (!anyBoth(of, v.externals)) return INSIDE;
        return tierOf(anyBoth(of, v.unexpected) ? 'outside' : 'partner');
      }
      if (!has(v.externals, n)) return INSIDE;
      return tierOf(has(v.unexpected, n) ? 'outside' : 'partner');
    }),
  );
}

/** Getters of what is about to be: a grant or link that is not there yet, and how far it reaches. */
function gettersAt(f: DecideFacts, now: { asked: Asked; tier: number }): SubjectGetters {
  const { getters } = f;
  const sharing = () => now.asked.sharing!;
  const pending = getters.entries({
    principals: () => sharing().principals,
    node: () => now.asked.node,
    role: () => sharing().role,
    audience: () => sharing().audience,
    expires: () => sharing().expires,
    made: () => f.view.moment,
    madeBy: () => now.asked.actor,
    noCopies: () => false,
    password: () => false,
    lastUsed: () => NaN,
  });
  const reached = <T extends { now(n: number): number; could(n: number): number }>(of: T): T => ({
    ...of,
    // a link reaches whoever follows it, a grant at once
    now: (n: number) => (now.asked.sharing ? (now.asked.sharing.audience ? INSIDE : now.tier) : of.now(n)),
    could: (n: number) => (now.asked.sharing ? now.tier : of.could(n)),
  });
  return {
    ...getters,
    item: reached(getters.item),
    space: reached(getters.space),
    grant: reached(pending.grant),
    link: reached(pending.link),
    appGrant: getters.apps(() => now.asked.app!),
  };
}

/** Makes rules ready to be asked about one thing after another. */
export function decider(f: DecideFacts, armed: readonly Armed[]): (asked: Asked) => Judged {
  const now = { asked: undefined as unknown as Asked, tier: -1 };
  const { view: v } = f;
  const facts: ScopeFacts = {
    ...f,
    actor: () => (now.asked.actor < v.org.users.length ? now.asked.actor : -1),
    letIn: () => [now.asked.app!],
  };
  const getters = gettersAt(f, now);
  const budget: Budget = { left: 0 };
  const ready = armed
    .filter(({ rule }) => rule.mode !== 'paused')
    .map((a) => ({ a, hits: ruleTest(a.doc, a.rule, facts, getters, budget) }));
  const byMoment = new Map(
    MOMENTS.map((m) => [m, ready.filter(({ a }) => a.rule.moments?.includes(m))] as const),
  );
  /** What a rule of a subject is asked about: the thing itself, its space, or what is about to be made. */
  const subjectOf = ({ rule }: Armed, { node, sharing, app }: Asked): number => {
    if (app ?? rule.subject === 'appGrant') return app && rule.subject === 'appGrant' ? PENDING_APP : -1;
    if (rule.subject === 'space') return spaceOfNode(v.org, node);
    if (rule.subject === 'item') return node >= v.org.spaces.length ? node : -1;
    if (!sharing || (rule.subject === 'link') !== (sharing.audience !== undefined)) return -1;
    return node;
  };

  return (asked) => {
    now.asked = asked;
    now.tier = asked.sharing ? tierOfSharing(f, asked.sharing) : -1;
    budget.left = STEPS;
    const bits = asked.actor < 0 || asked.app ? 0 : can(v, asked.node, asked.actor);
    const editor = (bits & CAP.edit) !== 0;
    const hits: Armed[] = [];
    for (const { a, hits: is } of byMoment.get(asked.action)!) {
      const n = subjectOf(a, asked);
      if (n >= 0 && is(n) && a.excepted(n) === undefined) hits.push(a);
    }
    const wanted = hits
      .flatMap((a) =>
        a.rule.mode === 'enforce'
          ? a.rule.responses
              .filter((r) => possibleAt(r.do, a.rule.subject, 'atMoment'))
              .map((response) => ({ a, response }))
          : [],
      )
      .sort((x, y) => RESPONSES[y.response.do].strictness - RESPONSES[x.response.do].strictness);
    const judged: Judged = { decision: true, obligations: [], hits, wentOn: false };
    const needs = asked.action === 'consent' ? undefined : NEEDS[asked.action];
    if (needs && !asked.checked && !(bits & CAP[needs])) return { ...judged, decision: false, lacks: needs };
    const refuse = (by: Armed, said: string): Judged => ({ ...judged, decision: false, by, said });
    const first = (name: ResponseName) => wanted.find((w) => w.response.do === name);
    const refused = first('refuse');
    if (refused) return refuse(refused.a, textOf(refused));
    const copies = first('without-copies');
    const bare = copies !== undefined || (needs !== undefined && f.withoutCopies(asked.node));
    if (needs === 'copy' && bare && !editor)
      return {
        ...judged,
        decision: false,
        ...(copies && { by: copies.a }),
        said: 'Readers and commenters cannot download, print or copy this.',
      };
    const waits = first('ask-first');
    if (waits) {
      judged.obligations.push({ id: 'ask-first' });
      return {
        ...refuse(waits.a, 'An owner of the space has to say yes first.'),
        obligations: judged.obligations,
      };
    }
    if (bare && !editor) judged.obligations.push({ id: 'without-copies' });
    const caution = first('caution');
    if (caution) {
      const reason = wanted.some((w) => w.response.do === 'caution' && w.response.reason === true);
      if (asked.goesOn && (!reason || asked.goesOn.reason?.trim())) judged.wentOn = true;
      else judged.obligations.push({ id: 'caution', text: textOf(caution), reason });
    }
    const by = (copies ?? caution)?.a;
    return { ...judged, ...(by && { by }) };
  };
}

const textOf = ({ a, response }: { a: Armed; response: RuleResponse }): string =>
  typeof response.text === 'string' && response.text
    ? response.text
    : response.do === 'refuse'
      ? `Your organisation does not allow this: ${a.rule.name}.`
      : `Your organisation asks you to look twice: ${a.rule.name}.`;
