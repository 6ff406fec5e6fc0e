/** What the survey in force knows of what happens: who did it, with what, and whom it concerns. */
import { PRINCIPAL } from '../core/access/organisation.ts';
import { NO_FACTS, type EventFacts, type Happened } from '../core/guard/events.ts';
import type { Principal } from '../core/guard/subjects.ts';
import { AUDIENCES, domainOf } from '../core/model.ts';
import { actorOf, nodeOf, principalOf } from './decide.ts';
import { identityKey, nodeKey } from './describe.ts';
import { gettersOf } from './facts.ts';
import type { Loaded } from './loaded.ts';

/** An event’s place in the survey: what is known, and by which names it opens in the screens; empty where it does not. */
export interface Placed extends EventFacts {
  outside: boolean;
  weight: number;
  actorKey: string;
  nodeKey: string;
}

/** What is known of events that a source tells, one for one. */
export function placed(l: Loaded, source: string, list: readonly Happened[]): Placed[] {
  const getters = gettersOf(l);
  const known = new Set([...l.view.domainNames, ...l.org.domains]);
  // those whom an event concerns are asked what those of a grant are asked
  let concerned: Principal[] = [];
  const { external, ofPartner } = getters.entries({
    principals: () => concerned,
    node: () => -1,
    role: () => 0,
    audience: () => undefined,
    expires: () => Infinity,
    made: () => NaN,
    madeBy: () => -1,
    noCopies: () => false,
    password: () => false,
    lastUsed: () => NaN,
  }).grant;
  return list.map((e): Placed => {
    const actor = e.actor ? actorOf(l, source, { id: e.actor }) : -1;
    const node = e.item
      ? nodeOf(l, source, { type: 'item', id: e.item })
      : e.space
        ? nodeOf(l, source, { type: 'space', id: e.space })
        : -1;
    const target = e.target ? targetOf(l, source, e.target) : undefined;
    concerned = target ? [target] : [];
    const outside = external(0);
    const domain = target && outside ? domainNamed(l, target) : '';
    return {
      ...NO_FACTS,
      ...(actor >= 0 && {
        actorName: getters.identity.name(actor),
        department: getters.identity.department(actor),
        groups: getters.identity.groups(actor),
      }),
      ...(node >= 0 && {
        name: getters.item.name(node),
        path: getters.item.path(node),
        label: getters.item.label(node),
        types: getters.item.types(node),
      }),
      weight: node >= 0 ? getters.item.weight(node) : 0,
      outside,
      targetName: target ? principalWords(l, target) : '',
      domain,
      partner: outside && ofPartner(0),
      newDomain: domain !== '' && !known.has(domain),
      actorKey: actor < 0 ? '' : identityKey(l, actor),
      nodeKey: node < 0 ? '' : nodeKey(l, node),
    };
  });
}

/** Whom a text names: everyone, anyone, a user or group of the source, an address, or a domain. */
export function targetOf(l: Loaded, source: string, text: string): Principal | undefined {
  if (text === 'everyone' || text === 'anyone') return { kind: PRINCIPAL[text], n: -1 };
  const group = principalOf(l, source, { group: text });
  if (group.n >= 0) return group;
  const user = principalOf(l, source, { user: text });
  if (user.n >= 0 || text.includes('@')) return user;
  return text.includes('.') ? principalOf(l, source, { domain: text }) : undefined;
}

/** Whom a grant or link names, and for whom it opens. */
export function principalsOfEntry(l: Loaded, e: number): Principal[] {
  const audience = AUDIENCES[l.org.entries.type[e]! - 1];
  const open =
    audience === 'anyone' ? PRINCIPAL.anyone : audience === 'organisation' ? PRINCIPAL.everyone : undefined;
  return [...(open === undefined ? [] : [{ kind: open, n: -1 }]), ...gettersOf(l).principals(e)];
}

function principalWords(l: Loaded, { kind, n, address }: Principal): string {
  if (kind === PRINCIPAL.group) return l.org.groups[n]?.name ?? '';
  return kind === PRINCIPAL.user && n >= 0 ? gettersOf(l).identity.name(n) : (address ?? '');
}

/** The domain of somebody or something by name. */
function domainNamed(l: Loaded, { kind, n, address }: Principal): string {
  if (kind === PRINCIPAL.domain) return address ?? '';
  if (kind !== PRINCIPAL.user) return '';
  return domainOf(n < 0 ? (address ?? '') : gettersOf(l).identity.address(n));
}
