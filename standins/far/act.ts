/** Doing something as a person of the organisation: the workspace's own permissions first, then whoever is asked. */
import { randomUUID } from 'node:crypto';
import { happen } from '../happenings.ts';
import type { Row } from '../state.ts';
import { ACCOUNTS, state } from '../world.ts';
import { decide, type Verdict } from './ask.ts';
import { may } from './permissions.ts';

export interface Person {
  user: string;
  managed: boolean;
}
export const ACTS = ['open', 'download', 'print', 'copy', 'share'] as const;
export type Act = (typeof ACTS)[number];

export interface Sharing {
  /** An address, a group's name, or nobody: then a link. */
  to?: string | undefined;
  audience?: 'named' | 'organisation' | 'anyone' | undefined;
  role: 'reader' | 'commenter' | 'editor';
}

export type Outcome =
  | { did: true; copies: boolean; note?: string }
  | { did: false; said: string; by: 'workspace' | 'rules' }
  | { did: false; caution: NonNullable<Verdict['caution']> };

const DONE: Record<Act, string> = {
  open: 'opened',
  download: 'downloaded',
  print: 'printed',
  copy: 'copied',
  share: 'shared',
};
const NOT: Record<Act, string> = {
  open: 'You cannot open this.',
  download: 'You cannot download this.',
  print: 'You cannot print this.',
  copy: 'You cannot copy this.',
  share: 'You cannot share this.',
};

const no = (said: string, by: 'workspace' | 'rules' = 'workspace'): Outcome => ({ did: false, said, by });

/** Whom a name stands for in the workspace. */
function grantee(to: string): object | undefined {
  if (to === 'everyone' || to === 'anyone') return { [to]: true };
  const group = [...state.rows.groups.values()].find((g) => g.displayName === to || g.id === to);
  if (group) return { group: group.id };
  if (!to.includes('@')) return undefined;
  if (to.startsWith('@')) return { domain: to.slice(1).toLowerCase() };
  const user = [...state.rows.users.values()].find((u) => addressesOf(u).includes(to.toLowerCase()));
  return user ? { user: user.id } : { email: to };
}

export const addressesOf = (user: Row): string[] => [
  String(user.userName).toLowerCase(),
  ...((user.emails as { value: string }[] | undefined) ?? []).map((e) => e.value.toLowerCase()),
];

/** Does it, or says why not. `goesOn`: they were cautioned. */
export async function act(
  who: Person,
  what: Act,
  row: Row,
  sharing?: Sharing,
  goesOn?: { reason?: string },
): Promise<Outcome> {
  const own = may(who.user, row);
  const needs = { open: own.open, download: own.copy, print: own.copy, copy: own.copy, share: own.share };
  if (!needs[what]) return no(NOT[what]);
  const space = state.rows.spaces.get(row.space as string) ?? row;
  const workspace = String(space.workspace);
  const whom = sharing?.to ? grantee(sharing.to) : undefined;
  if (what === 'share') {
    if (sharing?.to && !whom) return no(`There is nobody here called ${sharing.to}.`);
    if (!sharing?.to && !sharing?.audience) return no('Say with whom.');
    if (workspace === 'channels') return no('A channel’s files are for who is in the channel.');
    const outside = whom && ('email' in whom || 'domain' in whom || 'anyone' in whom);
    if (space.externalSharing === 'off' && (outside || sharing.audience === 'anyone'))
      return no('This space is shared with nobody outside.');
  }
  const prefix = ACCOUNTS[workspace] ?? 'c-';
  const asAccount = (t: object): object => ('user' in t ? { user: prefix + String(t.user) } : t);
  const verdict = await decide(workspace, {
    subject: { type: 'user', id: prefix + who.user },
    resource: { type: row.workspace ? 'space' : row.kind, id: row.id },
    action: { name: what },
    context: {
      access: 'checked',
      device: { managed: who.managed },
      time: new Date().toISOString(),
      ...(whom && { target: asAccount(whom) }),
      ...(sharing && !whom && { audience: sharing.audience }),
      ...(sharing && { role: sharing.role }),
      ...(goesOn && { goesOn }),
    },
  });
  if (!verdict.decision) return no(verdict.said ?? NOT[what], 'rules');
  if (verdict.caution) return { did: false, caution: verdict.caution };
  if (what === 'share') share(who, row, sharing!, whom);
  log(who, what, row, workspace, verdict, sharing, whom, goesOn);
  const copies = own.copy && (own.edit || !verdict.withoutCopies);
  return {
    did: true,
    copies,
    ...(verdict.silent && { note: 'Nobody could be asked whether this is allowed.' }),
  };
}

function share(who: Person, row: Row, { audience, role }: Sharing, whom: object | undefined): void {
  const id = `far-${randomUUID()}`;
  const on = row.workspace ? { space: row.id } : { item: row.id };
  const now = new Date().toISOString();
  const made = whom
    ? { id, on, to: whom, role, grantedBy: who.user, grantedAt: now }
    : { id, on, audience, role, createdBy: who.user, createdAt: now };
  state.change({ key: id, kind: whom ? 'grants' : 'links', id, op: 'put', row: made });
}

/** Whom a link is for, or somebody by name. */
const targetOf = (sharing: Sharing, whom: object | undefined): object | undefined =>
  whom ??
  (sharing.audience === 'anyone'
    ? { anyone: true }
    : sharing.audience === 'organisation'
      ? { everyone: true }
      : undefined);

function log(
  who: Person,
  what: Act,
  row: Row,
  workspace: string,
  { silent }: Verdict,
  sharing: Sharing | undefined,
  whom: object | undefined,
  goesOn: { reason?: string } | undefined,
): void {
  const type = `file.${DONE[what]}`;
  const data = {
    user: who.user,
    device: { managed: who.managed },
    ...(row.workspace ? { space: row.id } : {}),
    ...(sharing && { target: targetOf(sharing, whom), role: sharing.role }),
    ...(silent && { unasked: true }),
    ...(goesOn && { wentOn: true, ...(goesOn.reason && { reason: goesOn.reason }) }),
  };
  const subject = row.workspace ? undefined : row.id;
  const time = new Date().toISOString();
  happen(workspace, type, subject, data, time);
  if (what === 'open')
    state.activity.push({
      specversion: '1.0',
      id: randomUUID(),
      source: '/workspaces/far-side',
      type: 'org.gatelantern.item.opened',
      subject: row.id,
      time,
      data: { user: who.user },
    });
}
