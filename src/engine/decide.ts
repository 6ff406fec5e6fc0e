/** Decisions at the moment: what a workspace asks by its own names, answered from columns and from rules that are ready. */
import {
  decider,
  type Armed,
  type Asked,
  type DecideFacts,
  type Judged,
  type Moment,
} from '../core/guard/decide.ts';
import type { Policy } from '../core/guard/schema.ts';
import { PRINCIPAL } from '../core/access/organisation.ts';
import type { Principal } from '../core/guard/subjects.ts';
import { addressName } from '../core/access/addresses.ts';
import { findIdentity } from '../core/access/view.ts';
import { ROLES } from '../core/model.ts';
import { once } from '../core/once.ts';
import {
  isMoment,
  type DecisionAnswer,
  type DecisionRecord,
  type Evaluation,
  type Outcome,
  type Target,
} from '../dto/decisions.ts';
import type { Exception } from '../dto/guard.ts';
import { consentOf } from './apps.ts';
import { identityKey, nodeKey, nodeName } from './describe.ts';
import { gettersOf } from './facts.ts';
import { exceptionOf, factsOf } from './guard.ts';
import { key } from './keys.ts';
import type { Loaded } from './loaded.ts';

/** A policy of which some rules are judged at the moment. */
export interface AtMoment {
  id: number;
  version: number;
  doc: Policy;
  exceptions: Exception[];
}

/** An app that somebody was refused and asks for. */
export interface AppRequest {
  app: string;
  name: string;
  person: string;
  personName: string;
  scopes: string[];
  reason: string;
}

export interface Decided {
  answer: DecisionAnswer;
  asks?: AppRequest;
  /** Absent where it was a plain yes. */
  record?: DecisionRecord;
}

let policies: readonly AtMoment[] = [];
let ready = new WeakMap<Loaded, (asked: Asked) => Judged>();

/** Takes the policies by which decisions are made from now on. */
export function takePolicies(list: readonly AtMoment[]): void {
  policies = list;
  ready = new WeakMap();
}

/** What decisions ask of a survey. */
export function decideFacts(l: Loaded): DecideFacts {
  const S = l.org.spaces.length;
  return {
    ...factsOf(l),
    getters: gettersOf(l),
    withoutCopies: once(
      (n) =>
        (n >= S && l.items.row(n - S).noCopies === true) ||
        l.org.spaces[n < S ? n : l.org.itemSpace[n - S]!]!.noCopies === true,
    ),
  };
}

/** The rules by which decisions are made. */
export function armedOf(l: Loaded): Armed[] {
  return policies.flatMap(({ id, version, doc, exceptions }): Armed[] =>
    doc.rules
      .filter((r) => r.moments?.length && r.mode !== 'paused')
      .map((rule) => {
        // an app that is about to be let in is approved or not: exceptions are of what was let in
        if (rule.subject === 'appGrant') return { policy: id, version, doc, rule, excepted: () => undefined };
        // what is about to be made is excepted with what it is on
        const of = rule.subject === 'space' ? rule : { ...rule, subject: 'item' as const };
        return { policy: id, version, doc, rule, excepted: exceptionOf(l, of, exceptions) };
      }),
  );
}

function deciderOf(l: Loaded): (asked: Asked) => Judged {
  let made = ready.get(l);
  if (!made) ready.set(l, (made = decider(decideFacts(l), armedOf(l))));
  return made;
}

/** To whom something is about to be shared, as it is asked. */
function targetsOf({ context }: Evaluation) {
  const given = context?.target;
  return given === undefined ? [] : Array.isArray(given) ? given : [given];
}

/** An app that is about to be let in, as the workspace names it: what is not known of it by the survey is taken as the workspace says. */
function readConsent(l: Loaded, source: string, q: Evaluation): Asked {
  const actor = actorOf(l, source, q.subject);
  const user = actor < l.org.users.length ? actor : -1;
  return {
    action: 'consent',
    node: -1,
    actor,
    app: consentOf(l, source, {
      id: q.resource.id,
      properties: q.resource.properties ?? {},
      scopes: q.context?.scopes ?? [],
      user,
    }),
    checked: true,
    ...(q.context?.goesOn && {
      goesOn: q.context.goesOn.reason === undefined ? {} : { reason: q.context.goesOn.reason },
    }),
  };
}

/** Numbers of what a request names; undefined where nothing is known of the file or space. */
function readAsked(l: Loaded, source: string, action: Moment, q: Evaluation): Asked | undefined {
  const node = nodeOf(l, source, q.resource);
  if (node < 0) return undefined;
  const principals = targetsOf(q).map((t) => principalOf(l, source, t));
  const audience = q.context?.audience;
  return {
    action,
    node,
    actor: actorOf(l, source, q.subject),
    ...((principals.length > 0 || audience !== undefined) && {
      sharing: {
        principals,
        ...(audience && { audience }),
        role: ROLES.indexOf(q.context?.role ?? 'reader'),
        expires: q.context?.expiresAt ? Date.parse(q.context.expiresAt) : Infinity,
      },
    }),
    checked: q.context?.access === 'checked',
    ...(q.context?.goesOn && {
      goesOn: q.context.goesOn.reason === undefined ? {} : { reason: q.context.goesOn.reason },
    }),
  };
}

/** Whom a workspace names. */
export function principalOf(l: Loaded, source: string, t: Target): Principal {
  const { ids, org } = l;
  const address = (email: string): Principal => {
    return { kind: PRINCIPAL.user, n: identityWith(l, email), address: addressName(email) };
  };
  if ('user' in t) {
    const n = org.find('user', ids.user(source, t.user));
    return n >= 0 ? { kind: PRINCIPAL.user, n } : address(t.user);
  }
  if ('group' in t) return { kind: PRINCIPAL.group, n: org.find('group', ids.group(source, t.group)) };
  if ('email' in t) return address(t.email);
  if ('domain' in t) {
    const domain = t.domain.toLowerCase();
    return { kind: PRINCIPAL.domain, n: org.domains.indexOf(domain), address: domain };
  }
  return { kind: 'everyone' in t ? PRINCIPAL.everyone : PRINCIPAL.anyone, n: -1 };
}

/** The space, file or folder that a workspace names; −1 where it is not known. */
export function nodeOf(l: Loaded, source: string, { type, id }: { type: string; id: string }): number {
  if (type === 'space') return l.org.find('space', key(source, id));
  const i = l.org.find('item', key(source, id));
  return i < 0 ? -1 : l.org.spaces.length + i;
}

const byAddress = new WeakMap<Loaded, Map<string, number>>();
/** The user of an address; −1 where there is none. */
function userWith(l: Loaded, address: string): number {
  let known = byAddress.get(l);
  if (!known) {
    known = new Map();
    for (const [u, { addresses }] of l.org.users.entries())
      for (const a of addresses) known.set(addressName(a), u);
    byAddress.set(l, known);
  }
  return known.get(addressName(address)) ?? -1;
}

/** The identity of a user’s id or address, or of an outsider’s address; −1 where there is none. */
export function identityWith(l: Loaded, name: string): number {
  const n = findIdentity(l.view, name);
  return n >= 0 ? n : userWith(l, name);
}

/** Whom a workspace names as the one who acts; −1 where they are not known. */
export function actorOf(l: Loaded, source: string, { id }: { id: string }): number {
  const u = l.org.find('user', l.ids.user(source, id));
  if (u >= 0) return u;
  return identityWith(l, id);
}

/** Decides one thing after another, as a workspace asks about them. */
export function decide(l: Loaded, source: string, list: readonly Evaluation[]): Decided[] {
  const judge = deciderOf(l);
  return list.map((q): Decided => {
    const { survey } = l;
    const { name: action } = q.action;
    if (!isMoment(action))
      return wrong(
        `There is no action “${action}”: share, open, download, print, copy, move, upload and consent are known.`,
      );
    if (action === 'share' && !q.context?.audience && !q.context?.target)
      return wrong('Sharing wants to know with whom, or for whom a link is.');
    if ((action === 'consent') !== (q.resource.type === 'app'))
      return wrong('An app is let in by “consent”, and nothing else is.');
    const asked = action === 'consent' ? readConsent(l, source, q) : readAsked(l, source, action, q);
    // what is newer than the survey is the workspace's own to judge
    if (!asked)
      return { answer: { decision: q.context?.access === 'checked', context: { survey, unknown: true } } };
    const judged = judge(asked);
    const outcome = outcomeOf(judged);
    return {
      answer: answerOf(judged, survey, asked),
      ...(!judged.decision &&
        asked.app &&
        q.context?.asks && { asks: { ...requestOf(l, q, asked), reason: q.context.asks.reason } }),
      ...(outcome && { record: recordOf(l, q, asked, judged, outcome) }),
    };
  });
}

const wrong = (message: string): Decided => ({
  answer: { decision: false, context: { error: { status: 400, message } } },
});

const LACKS = {
  open: 'opened',
  copy: 'downloaded, printed or copied',
  share: 'shared',
  edit: 'changed',
} as const;

function answerOf(
  { decision, said, by, lacks, obligations: all }: Judged,
  survey: number,
  { app }: Asked,
): DecisionAnswer {
  // whoever is refused an app can ask for it
  const obligations = [...all, ...(app && !decision ? [{ id: 'may-ask' as const }] : [])];
  const user = lacks ? `This cannot be ${LACKS[lacks]} by you.` : said;
  const admin = lacks
    ? `What was surveyed does not let them: ${lacks}.`
    : by &&
      `Policy ${by.policy} “${by.doc.name}”, version ${by.version}, rule ${by.rule.id} “${by.rule.name}”.`;
  return {
    decision,
    context: {
      survey,
      ...(user && { reason_user: { 403: user } }),
      ...(admin && { reason_admin: { [decision ? 200 : 403]: admin } }),
      ...(obligations.length && { obligations }),
    },
  };
}

function outcomeOf({ decision, lacks, obligations, hits, wentOn }: Judged): Outcome | undefined {
  if (lacks) return 'no-access';
  const has = (id: string): boolean => obligations.some((o) => o.id === id);
  if (has('ask-first')) return 'ask-first';
  if (!decision) return 'refused';
  if (has('caution')) return 'cautioned';
  if (wentOn) return 'went-on';
  if (has('without-copies')) return 'without-copies';
  return hits.length ? 'would' : undefined;
}

function recordOf(l: Loaded, q: Evaluation, asked: Asked, judged: Judged, outcome: Outcome): DecisionRecord {
  const getters = gettersOf(l);
  const { by, hits, said } = judged;
  const { app } = asked;
  return {
    action: q.action.name,
    outcome,
    actor: asked.actor < 0 ? q.subject.id : identityKey(l, asked.actor),
    actorName: asked.actor < 0 ? q.subject.id : getters.identity.name(asked.actor),
    ...(app
      ? {
          key: `app:${app.of.app.id}`,
          name: app.of.app.name,
          where: app.of.app.publisher ?? '',
          target: app.grant.scopes.join(', ').slice(0, 500),
        }
      : {
          key: nodeKey(l, asked.node),
          name: nodeName(l, asked.node),
          where: getters.item.path(asked.node),
          target: asked.sharing ? targetWords(l, q) : '',
        }),
    managed: q.context?.device?.managed ?? null,
    said: said ?? judged.obligations.flatMap((o) => (o.id === 'caution' ? o.text : []))[0] ?? null,
    reason: asked.goesOn?.reason ?? null,
    policy: by?.policy ?? hits[0]?.policy ?? null,
    version: by?.version ?? hits[0]?.version ?? null,
    rule: by?.rule.id ?? hits[0]?.rule.id ?? null,
    hits: hits.map((h) => ({
      policy: h.policy,
      version: h.version,
      rule: h.rule.id,
      mode: h.rule.mode,
    })),
  };
}

/** The app that somebody asks for. */
function requestOf(l: Loaded, q: Evaluation, { actor, app }: Asked): Omit<AppRequest, 'reason'> {
  return {
    app: app!.of.app.id,
    name: app!.of.app.name,
    person: actor < 0 ? q.subject.id : identityKey(l, actor),
    personName: actor < 0 ? q.subject.id : gettersOf(l).identity.name(actor),
    scopes: app!.grant.scopes,
  };
}

/** To whom something is about to be shared, in words. */
function targetWords(l: Loaded, q: Evaluation): string {
  const names = targetsOf(q).map((t) =>
    'user' in t
      ? t.user
      : 'group' in t
        ? (l.org.groups.find((g) => g.id === t.group || g.name === t.group)?.name ?? t.group)
        : 'email' in t
          ? t.email
          : 'domain' in t
            ? t.domain
            : 'everyone' in t
              ? 'everyone'
              : 'anyone',
  );
  return [q.context?.audience && `link for ${q.context.audience}`, ...names]
    .filter(Boolean)
    .join(', ')
    .slice(0, 500);
}
