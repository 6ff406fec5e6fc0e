/** What responses at rest come to: the changes by which a thing is as a rule wants it. Pure; by number. */
import { anyBoth, bitsFor, has } from '../access/bits.ts';
import { withdrawal, type Change } from '../access/change.ts';
import type { Lists } from '../access/growable.ts';
import { HELD, PRINCIPAL, spaceOfNode } from '../access/organisation.ts';
import { membershipWays, sources } from '../access/questions.ts';
import { addPrincipal, identityName, type View } from '../access/view.ts';
import { AUDIENCES, ROLES, type Audience, type Recipient, type Role } from '../model.ts';
import type { FieldsOf } from '../remedy/fields.ts';
import { hasFields } from '../remedy/plan.ts';
import { wholeOf } from '../access/parts.ts';
import { backTo } from '../ask/charter.ts';
import type { SpaceFacts } from '../ask/spaces.ts';
import type { Subject } from './kinds.ts';
import type { RuleResponse } from './responses.ts';

const DAY = 86_400_000;

/** What a response comes to. No change and nothing in the way: it is so already. */
export interface Carried {
  changes: Change[];
  /** Why some of it, or all, cannot be done, with the nearest thing that can. */
  cannot: string[];
}

/** What can be asked of rows, which columns do not hold. */
export interface CarryFacts {
  view: View;
  /** Which grants and links name whom (`namedBy` of core/access/named.ts). */
  named: () => Lists;
  /** Who has used a link, as recipients. */
  users(entry: number): Recipient[];
  /** The fields of a file, folder or space as they are. */
  row(node: number): object;
  /** Number of whom somebody reports to; −1 where nobody is known. */
  manager(user: number): number;
  /** The id of a group, by its id, its name or what its source calls it. */
  group(named: string): string | undefined;
  spaces: Pick<SpaceFacts, 'parts' | 'settings'>;
}

/** The changes that a response to a subject takes on the survey as it is. */
export function carriedOut(f: CarryFacts, subject: Subject, n: number, response: RuleResponse): Carried {
  const { view: v } = f;
  const S = v.org.spaces.length;
  const out: Carried = { changes: [], cannot: [] };
  const set = (fields: object): void => {
    const row = f.row(n);
    const differing = Object.fromEntries(
      Object.entries(fields as Record<string, unknown>).filter(
        ([name, value]) => !hasFields(row, { [name]: value }),
      ),
    );
    if (Object.keys(differing).length)
      out.changes.push(
        n < S
          ? { space: v.org.spaces[n]!.id, set: differing as FieldsOf['space'] }
          : { item: v.org.itemIds.at(n - S), set: differing as FieldsOf['item'] },
      );
  };
  const entry = subject === 'grant' || subject === 'link';
  switch (response.do) {
    case 'quarantine':
      set({ held: true });
      break;
    case 'delete':
      if (subject === 'space') withParts(f, n, { binned: true }, out);
      else set({ binned: true });
      break;
    case 'archive':
      withParts(f, n, { archived: true }, out);
      break;
    case 'make-owner':
      makeOwner(f, n, response.person as string, out);
      break;
    case 'to-charter': {
      const { settings, unknown } = f.spaces.settings(n);
      if (unknown.length) out.cannot.push(`There is no group “${unknown[0]}”, which its charter names`);
      else set(backTo(v.org.spaces[n]!, settings));
      break;
    }
    case 'label':
      set({ label: response.label });
      break;
    case 'dim':
      set({ dim: true });
      break;
    case 'without-copies':
      if (!entry) set({ noCopies: true });
      else if (!v.org.entries.noCopies[n]) out.changes.push(ofEntry(v, n, { noCopies: true }));
      break;
    case 'gate': {
      const groups = (response.groups as string[]).map((g) => f.group(g) ?? g);
      const unknown = groups.filter((g) => v.org.find('group', g) < 0);
      if (unknown.length) out.cannot.push(`There is no group “${unknown[0]}”`);
      else set({ gate: groups });
      break;
    }
    case 'suspend': {
      const user = v.org.users[n];
      if (!user) out.cannot.push(`${identityName(v, n)} has no account. Nearest: withdraw outside access`);
      else if (user.active) out.changes.push({ user: user.id, set: { active: false } });
      break;
    }
    case 'hand-over':
      handOver(f, subject, n, out);
      break;
    case 'set-back':
      set(response.to as object);
      break;
    case 'withdraw':
      out.changes.push(withdrawal(v.org, n));
      break;
    case 'take-out':
      takeOut(f, n, response.space as string, out);
      break;
    case 'narrow':
      narrow(f, n, response as { role?: Role; audience?: Audience }, out);
      break;
    case 'let-end':
      letEnd(v, subject, n, response.days as number, out);
      break;
    case 'withdraw-outside':
    case 'withdraw-anyone': {
      const close = response.do === 'withdraw-outside' ? closeOutside : closeAnyone;
      if (entry) close(f, n, out);
      else if (subject === 'identity') leaveOutside(f, n, out);
      else closeNode(f, n, close, out);
      break;
    }
    case 'refuse':
    case 'caution':
    case 'ask-first':
    case 'ask':
    case 'charter':
    case 'finding':
      break;
  }
  return { changes: out.changes, cannot: [...new Set(out.cannot)] };
}

/** Closes the ways to a file, folder or space. Who is in a space is not a matter of one file in it. */
function closeNode(f: CarryFacts, node: number, close: typeof closeOutside, out: Carried): void {
  const S = f.view.org.spaces.length;
  for (const { entry, at } of sources(f.view, node)) {
    if (typeof entry !== 'number') continue;
    const way: Carried = { changes: [], cannot: [] };
    close(f, entry, way);
    out.cannot.push(...way.cannot);
    if (at >= S || node < S) out.changes.push(...way.changes);
    else if (way.changes.length)
      out.cannot.push(
        'Some come by the space itself. Nearest: move it to quarantine, or a rule about the space',
      );
  }
}

const ofEntry = ({ org }: View, e: number, set: FieldsOf['link']): Change =>
  org.entries.type[e]
    ? { link: org.entries.ids.at(e), set }
    : { grant: org.entries.ids.at(e), set: set as FieldsOf['grant'] };

const audienceOf = (v: View, e: number): Audience | undefined => AUDIENCES[v.org.entries.type[e]! - 1];

/** What a grant or link names, one by one. */
function* namedIn({ org: { entries } }: View, e: number): Generator<readonly [kind: number, n: number]> {
  for (let i = entries.toKind.start[e]!; i < entries.toKind.start[e + 1]!; i++)
    yield [entries.toKind.values[i]!, entries.toNumber.values[i]!];
}

/** Whether something that a grant or link names is outside: all of it, some of it, or none. */
function outsideIs(v: View, kind: number, n: number): 'all' | 'some' | 'none' {
  if (kind === PRINCIPAL.anyone) return 'all';
  if (kind === PRINCIPAL.domain && v.domainStanding[n]! > 0) return 'all';
  const holders = bitsFor(v.identityCount);
  addPrincipal(v, holders, kind, n);
  // an address that nobody is known by is somebody outside
  if (!anyBoth(holders, v.externals))
    return kind === PRINCIPAL.address && !anyBoth(holders, v.members) ? 'all' : 'none';
  return anyBoth(holders, v.members) ? 'some' : 'all';
}

function closeOutside(f: CarryFacts, e: number, out: Carried): void {
  const { view: v } = f;
  const audience = audienceOf(v, e);
  if (audience === 'anyone') {
    // where the space lets no link for anyone open, one for the organisation would let more people in
    if (v.spaces[spaceOfNode(v.org, v.org.entries.node[e]!)]!.anyoneInert) return;
    out.changes.push(ofEntry(v, e, { audience: 'organisation' }));
    return;
  }
  if (audience === 'organisation') return;
  const staying: (readonly [number, number])[] = [];
  let leaving = 0;
  for (const one of namedIn(v, e)) {
    const outside = outsideIs(v, ...one);
    if (outside === 'all') leaving++;
    else staying.push(one);
    if (outside === 'some')
      out.cannot.push(
        one[0] === PRINCIPAL.group
          ? `“${v.org.groups[one[1]]!.name}” has members and people from outside. Nearest: take those from outside out of the group`
          : `Some guests have an address at ${v.org.domains[one[1]]!}. Nearest: end their accounts`,
      );
  }
  if (!leaving) return;
  out.changes.push(
    staying.length && audience === 'named'
      ? ofEntry(v, e, { recipients: staying.map((one) => recipient(v, ...one)) })
      : withdrawal(v.org, e),
  );
}

function recipient({ org }: View, kind: number, n: number): Recipient {
  if (kind === PRINCIPAL.user) return { user: org.users[n]!.id };
  if (kind === PRINCIPAL.group) return { group: org.groups[n]!.id };
  return { email: org.addresses[n]! };
}

function closeAnyone({ view: v }: CarryFacts, e: number, out: Carried): void {
  const open =
    audienceOf(v, e) === 'anyone' || [...namedIn(v, e)].some(([kind]) => kind === PRINCIPAL.anyone);
  if (open) out.changes.push(withdrawal(v.org, e));
}

/** Takes somebody out of a grant or link that names them. Gives what else it names. */
function leaveEntry(
  v: View,
  identity: number,
  e: number,
  out: Carried,
): (readonly [kind: number, n: number])[] {
  const all = [...namedIn(v, e)];
  const staying = all.filter(([kind, n]) =>
    kind === PRINCIPAL.user
      ? n !== identity
      : kind !== PRINCIPAL.address || v.identityOfAddress[n] !== identity,
  );
  if (staying.length < all.length)
    out.changes.push(
      staying.length
        ? ofEntry(v, e, { recipients: staying.map((x) => recipient(v, ...x)) })
        : withdrawal(v.org, e),
    );
  return staying;
}

/** Takes somebody from outside out of every grant and link that names them, and out of every group. */
function leaveOutside({ view: v }: CarryFacts, identity: number, out: Carried): void {
  if (!has(v.externals, identity)) {
    out.cannot.push('A member is not outside. Nearest: withdraw the grants themselves');
    return;
  }
  const { org } = v;
  for (let e = 0; e < org.entries.ids.length; e++)
    if (v.live[e] && org.entries.node[e]! >= 0) leaveEntry(v, identity, e, out);
  for (let g = 0; identity < org.users.length && g < org.groups.length; g++)
    for (let i = org.members.start[g]!; i < org.members.start[g + 1]!; i++)
      if (org.members.values[i] === identity)
        out.changes.push({ member: { group: org.groups[g]!.id, value: org.users[identity]!.id } });
}

/** Takes somebody out of a space: out of what names them there, and out of groups that serve that space alone. */
function takeOut(f: CarryFacts, identity: number, named: string, out: Carried): void {
  const { view: v } = f;
  const { org } = v;
  const space = org.find('space', named);
  if (space < 0) {
    out.cannot.push(`There is no space “${named}”`);
    return;
  }
  const { entries } = org;
  for (let e = entries.first[space]!; e < entries.first[space + 1]!; e++) {
    if (!v.live[e]) continue;
    for (const [kind, n] of leaveEntry(v, identity, e, out)) {
      if (kind === PRINCIPAL.everyone || kind === PRINCIPAL.domain || kind === PRINCIPAL.anyone) {
        const holders = bitsFor(v.identityCount);
        addPrincipal(v, holders, kind, n);
        if (has(holders, identity))
          out.cannot.push('A grant lets many in at once, and them too. Nearest: narrow that grant');
      }
      if (kind !== PRINCIPAL.group || !has(v.groupMembers[n]!, identity)) continue;
      const { name, id } = org.groups[n]!;
      // a way through other groups stays when the membership itself is taken away
      if (membershipWays(v, identity, n).some((way) => way.length > 1))
        out.cannot.push(`They come by a group within “${name}”. Nearest: take them out of that group`);
      else if (!servesAlone(f, n, space))
        out.cannot.push(
          `They come by the group “${name}”, which gives access elsewhere too. Nearest: take them out of that group`,
        );
      else out.changes.push({ member: { group: id, value: org.users[identity]!.id } });
    }
  }
}

/** Whether all that a group is named by lies in one space. */
function servesAlone({ view: v, named }: CarryFacts, group: number, space: number): boolean {
  const { entries } = v.org;
  const { start, values } = named();
  const at = v.identityCount + group;
  return values
    .subarray(start[at], start[at + 1])
    .every((e) => entries.node[e]! < 0 || spaceOfNode(v.org, entries.node[e]!) === space);
}

function narrow(
  f: CarryFacts,
  e: number,
  { role, audience }: { role?: Role; audience?: Audience },
  out: Carried,
): void {
  const { view: v } = f;
  const set: { role?: Role; audience?: Audience; recipients?: Recipient[] } = {};
  if (role && v.org.entries.role[e]! > ROLES.indexOf(role)) set.role = role;
  const has = audienceOf(v, e);
  if (audience && has && AUDIENCES.indexOf(has) > AUDIENCES.indexOf(audience)) {
    set.audience = audience;
    if (audience === 'named') set.recipients = f.users(e);
  }
  if (Object.keys(set).length) out.changes.push(ofEntry(v, e, set));
}

/** Archives or deletes a space and what belongs to it, which is one thing. Nothing that is in quarantine is deleted. */
function withParts(f: CarryFacts, space: number, fields: FieldsOf['space'], out: Carried): void {
  const { org } = f.view;
  const whole = wholeOf(f.spaces.parts().parts, space);
  const holds = (s: number): boolean =>
    org.itemBreaks.subarray(org.spaceFirst[s], org.spaceFirst[s + 1]).some((b) => b & HELD);
  if (fields.binned && whole.some(holds))
    out.cannot.push('Something in it is in quarantine. Nearest: archive it');
  else
    for (const s of whole)
      if (!hasFields(org.spaces[s]!, fields)) out.changes.push({ space: org.spaces[s]!.id, set: fields });
}

/** Makes somebody an owner beside those who are, of whom those without an active account are left out. */
function makeOwner(f: CarryFacts, space: number, person: string, out: Carried): void {
  const { org, members } = f.view;
  const user = org.find('user', person);
  if (user < 0 || !has(members, user)) {
    out.cannot.push('They have no active account any more. Nearest: ask somebody else');
    return;
  }
  const row = org.spaces[space]!;
  const active = (row.owners ?? []).filter((id) => has(members, org.find('user', id)));
  if (!active.includes(person)) out.changes.push({ space: row.id, set: { owners: [...active, person] } });
}

/** Makes a manager the owner of a file, or of all that somebody owns. */
function handOver(f: CarryFacts, subject: Subject, n: number, out: Carried): void {
  const { org } = f.view;
  const S = org.spaces.length;
  const owner = subject === 'identity' ? n : n >= S ? org.itemOwner[n - S]! : -1;
  const user = org.users[owner];
  if (!user) {
    out.cannot.push('It has no owner of its own. Nearest: make somebody the owner of its space');
    return;
  }
  const manager = org.users[f.manager(owner)];
  if (!manager?.active) {
    out.cannot.push(`${user.name} has no manager with an account. Nearest: choose an owner yourself`);
    return;
  }
  const give = (i: number): void =>
    void out.changes.push({ item: org.itemIds.at(i), set: { owner: manager.id } });
  if (subject === 'item') give(n - S);
  else for (let i = 0; i < org.itemIds.length; i++) if (org.itemOwner[i] === n) give(i);
}

/** At the end of the day that is so many days away: a rule that is judged again the same day wants the same. */
export const endAfter = (moment: number, days: number): string =>
  new Date((Math.floor(moment / DAY) + days + 1) * DAY).toISOString();

function letEnd(v: View, subject: Subject, n: number, days: number, out: Carried): void {
  const expiresAt = endAfter(v.moment, days);
  if (subject === 'identity') {
    const user = v.org.users[n];
    if (!user)
      out.cannot.push(`${identityName(v, n)} has no account to end. Nearest: withdraw outside access`);
    else if (!(Date.parse(user.expiresAt ?? '') <= Date.parse(expiresAt)))
      out.changes.push({ user: user.id, set: { expiresAt } });
  } else if (!(v.org.entries.expires[n]! <= Date.parse(expiresAt)))
    out.changes.push(ofEntry(v, n, { expiresAt }));
}
