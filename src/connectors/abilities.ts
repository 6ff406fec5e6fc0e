/**
 * Why a kind of workspace cannot be asked for a change, said before it is planned, with the nearest thing that can be
 * had instead; the stand-ins refuse the same (docs/connectors.md).
 */
import { CHANGEABLE, fieldsOf, type SourceKind } from '../core/remedy/fields.ts';
import type { PlannedChange } from '../core/remedy/plan.ts';

/** What a kind of workspace calls itself in a sentence. */
const NAMES: Record<SourceKind, string> = {
  directory: 'The directory',
  drives: 'A workspace of drives',
  sites: 'A workspace of sites',
  channels: 'A workspace of channels',
  extract: 'An extract',
};

/**
 * Why a change cannot be made, in a sentence that names the nearest thing that can; undefined where it
 * can. `about`: whether the object is a group whose members follow from a rule, or a member's account.
 */
export function cannot(
  source: SourceKind,
  change: PlannedChange,
  about: { ruled?: boolean; member?: boolean } = {},
): string | undefined {
  if (source === 'extract') return 'It came with an extract: there is no workspace in which to change it.';
  const away: readonly SourceKind[] = CHANGEABLE[change.kind].away;
  const what = NAMES[source];
  if (change.kind === 'member' && about.ruled)
    return 'The members of this group follow from a rule, so they would come back. Nearest: withdraw what the group is granted.';
  if (change.kind === 'person' && about.member)
    return 'Accounts of members are ended where people are kept, not here. Nearest: take them out of the groups that let them in.';
  if (!change.set) return away.includes(source) ? undefined : `${what} cannot take this away.`;
  const declared = fieldsOf(change.kind);
  for (const name of Object.keys(change.set)) {
    if (declared[name]?.able.includes(source)) continue;
    const nearest = declared[name]?.nearest?.[source];
    return nearest ? `${what} ${nearest}.` : `${what} cannot set this.`;
  }
  if (
    source === 'channels' &&
    change.kind === 'grant' &&
    !['manager', 'editor'].includes(change.set.role as string)
  )
    return `${what} knows who leads a channel and who is in it. Nearest: make it editor, or withdraw it.`;
  return undefined;
}

/** What a workspace does to the tokens of an app that is withdrawn; undefined of other changes. */
export function tokensEnd(source: SourceKind, { kind }: PlannedChange): string | undefined {
  if (kind !== 'appGrant') return undefined;
  return source === 'sites'
    ? 'A workspace of sites revokes the app’s refresh tokens at once; an access token that it has goes on for an hour at most.'
    : `${NAMES[source]} revokes the app’s refresh and access tokens at once.`;
}

/** The message that the workspace itself sends because of a change, and to whom; undefined where it sends none. */
export function tells(source: SourceKind, change: PlannedChange): string | undefined {
  if (source === 'channels' && change.kind === 'grant' && !change.set)
    return 'The channel says in a line of its own who has left it.';
  if (change.kind === 'item' && change.set && 'owner' in change.set && change.set.owner)
    return 'The workspace writes to the new owner.';
  if (
    source === 'directory' &&
    change.kind === 'person' &&
    change.set &&
    'expiresAt' in change.set &&
    change.set.expiresAt
  )
    return 'The directory writes to the guest when the account will end.';
  return undefined;
}
