/**
 * What each kind of workspace can be asked to change. It is said before a change is planned, with the
 * nearest thing that can be had instead; the stand-ins refuse the same (docs/connectors.md).
 */
import type { PlannedChange } from '../core/remedy/plan.ts';

export type SourceKind = 'directory' | 'drives' | 'sites' | 'channels' | 'extract';

type Fields = Partial<Record<PlannedChange['kind'], { away?: boolean; set?: readonly string[] }>>;
const ABLE: Record<SourceKind, Fields> = {
  directory: { member: { away: true }, person: { set: ['active', 'expiresAt'] } },
  drives: {
    grant: { away: true, set: ['role', 'expiresAt'] },
    link: { away: true, set: ['role', 'audience', 'expiresAt', 'noCopies', 'recipients'] },
    space: { set: ['externalSharing', 'defaultAudience', 'owners'] },
    item: { set: ['owner', 'held', 'dim'] },
  },
  sites: {
    grant: { away: true, set: ['role'] },
    link: { away: true, set: ['role', 'audience', 'expiresAt', 'noCopies', 'recipients'] },
    space: {
      set: [
        'visibility',
        'visibilityRole',
        'externalSharing',
        'editorsShare',
        'gate',
        'defaultAudience',
        'dim',
        'owners',
      ],
    },
    item: { set: ['inherits', 'owner', 'held'] },
  },
  channels: {
    grant: { away: true, set: ['role'] },
    space: { set: ['visibility', 'owners'] },
    item: { set: ['held'] },
  },
  extract: {},
};

/** What a kind of workspace calls itself in a sentence. */
const NAMES: Record<SourceKind, string> = {
  directory: 'The directory',
  drives: 'A workspace of drives',
  sites: 'A workspace of sites',
  channels: 'A workspace of channels',
  extract: 'An extract',
};

const NEAREST: Partial<Record<SourceKind, Record<string, string>>> = {
  drives: {
    'item.inherits':
      'passes everything on to what is below. Nearest: withdraw what is granted above, or move the item to quarantine',
    'space.gate':
      'has no gate. Nearest: share the space with guests who have an account, or with nobody outside',
    'space.visibility': 'shows no space to everybody. Nearest: withdraw the grant to everyone',
    'space.dim': 'dims files and folders, not drives. Nearest: dim its folders',
  },
  sites: {
    'grant.expiresAt':
      'lets no grant end by itself. Nearest: narrow its role, or end the guest’s account on a day',
    'item.dim': 'dims whole sites. Nearest: dim the site',
  },
  channels: {
    'space.externalSharing':
      'has no setting for it. Nearest: take each guest out of the channel, or suspend the guest',
    'space.gate': 'has no gate. Nearest: show the channel to its members alone',
    'space.dim': 'has no search of its own. Nearest: show the channel to its members alone',
    'item.inherits': 'gives every file to all of the channel. Nearest: move the file to quarantine',
    'item.owner': 'keeps who posted a file as its owner. Nearest: move the file to quarantine',
    'item.dim': 'has no search of its own. Nearest: move the file to quarantine',
    'grant.expiresAt': 'lets nobody’s place end by itself. Nearest: end the guest’s account on a day',
  },
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
  const able = ABLE[source][change.kind];
  const what = NAMES[source];
  if (change.kind === 'member' && about.ruled)
    return 'The members of this group follow from a rule, so they would come back. Nearest: withdraw what the group is granted.';
  if (change.kind === 'person' && about.member)
    return 'Accounts of members are ended where people are kept, not here. Nearest: take them out of the groups that let them in.';
  if (!change.set) return able?.away ? undefined : `${what} cannot take this away.`;
  for (const field of Object.keys(change.set)) {
    if (able?.set?.includes(field)) continue;
    const nearest = NEAREST[source]?.[`${change.kind}.${field}`];
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
