/** What a table's filter can ask about: names, types and meanings. No more than this is known to the interface. */
import { SEVERITIES } from '../exposure/exposure.ts';
import { AUDIENCES, EXTERNAL_SHARING, ROLES, SPACE_KINDS, TIERS } from '../model.ts';
import { PLAN_STATE_NAMES } from '../remedy/states.ts';

export type FieldType = 'int' | 'string' | 'bool' | 'list<string>' | 'timestamp';
export interface Field {
  type: FieldType;
  about: string;
  /** Values that are offered while one types, as they are written. */
  offers?: readonly string[];
}
type Fields = Readonly<Record<string, Field>>;

/** Words that stand for numbers, so that tiers and severities are compared in their order. */
export const CONSTANTS: Readonly<Record<string, number>> = Object.fromEntries(
  [...TIERS.map((t, i) => [t, i]), ...SEVERITIES.map((s, i) => [s, i])].map(([k, v]) => [
    k as string,
    v as number,
  ]),
);

/** The type stays exact, so that what is read for a field can be held to it. */
const field =
  <T extends FieldType>(type: T) =>
  (about: string, offers?: readonly string[]) => ({ type, about, ...(offers && { offers }) });
const [int, list, bool, time] = [field('int'), field('list<string>'), field('bool'), field('timestamp')];
const text = (about: string, offers?: readonly string[]) =>
  field('string')(
    about,
    offers?.map((o) => JSON.stringify(o)),
  );

const ANY = text('the row’s names in lower case; what is typed without a condition is looked for in it');
const WEIGHT = int('how sensitive, 0 to 4');
const NOW = int('how far access extends now', TIERS);
const COULD = int('how far it could, if links were followed', TIERS);
const POINTS = int('exposure points');
const DOMAINS = list('external domains that reach it');
const TYPES = list('names of the data types that count in it');

const SPACE_KIND = text('the kind of its space', SPACE_KINDS);
const ROLE = text('the role it gives', ROLES);
/** What a grant or link is on. */
const ON = {
  name: text('of the file, folder or space it is on'),
  path: text('names from the space down to what holds that'),
  on: text('what it is on', ['file', 'folder', 'space']),
  workspace: text('its workspace'),
  space: text('its space'),
  spaceKind: SPACE_KIND,
  owner: text('who owns what it is on'),
  label: text('the label of what it is on, or empty'),
  weight: int('of the heaviest of what it is on and of what is below that, 0 to 4'),
  now: NOW,
  could: COULD,
  types: TYPES,
};
/** Of a grant or a link itself. */
const GIVEN = {
  role: ROLE,
  external: bool('whether it is for a guest, an outsider, another domain or anyone'),
  ofPartner: bool('whether all that are external are of partners'),
  consumer: bool('whether somebody it is for has a mailbox that anybody can have'),
  lookAlike: bool('whether somebody it is for is of a domain made to look like ours or a partner’s'),
  ends: bool('whether it ends by itself'),
  expires: time('when it ends'),
  made: time('when it was made'),
  madeBy: text('who made it'),
};

export const FIELDS = {
  items: {
    text: ANY,
    name: text('of the file, folder or space'),
    path: text('names from the space down to what holds it'),
    kind: text('what it is', ['file', 'folder', 'space']),
    workspace: text('its workspace'),
    space: text('its space'),
    spaceKind: SPACE_KIND,
    owner: text('who owns it'),
    label: text('its label, or empty'),
    mime: text('its media type'),
    sizeBytes: int('its size'),
    weight: WEIGHT,
    now: NOW,
    could: COULD,
    points: POINTS,
    severity: int('of its exposure; −1 where it is not exposed', SEVERITIES),
    exposed: bool('whether its reach is more than its weight allows'),
    types: TYPES,
    domains: DOMAINS,
    members: int('members who reach it'),
    external: int('guests and outsiders who reach it'),
    apps: int('third-party apps that could read it, or something in the space'),
    inherits: bool('whether it takes access from what it lies in'),
    modified: time('when it was last changed'),
  },
  spaces: {
    text: ANY,
    name: text('of the space'),
    workspace: text('its workspace'),
    kind: text('what kind it is', SPACE_KINDS),
    label: text('its label, or empty'),
    region: text('where it is kept, or empty'),
    visibility: text('who finds it', ['members', 'organisation']),
    externalSharing: text(
      'whom it lets share outside, the stricter of its own and its workspace’s',
      EXTERNAL_SHARING,
    ),
    defaultAudience: text('whom a new link is for', AUDIENCES),
    editorsShare: bool('whether editors may share'),
    dim: bool('whether search and assistants pass it over'),
    gated: bool('whether it has a gate'),
    owners: list('who owns it'),
    activeOwners: int('how many of them are active members'),
    leastOwners: int('how many active owners its charter wants at least; 1 where it has none'),
    purpose: text('the id of what it is for by its charter, or empty'),
    sensitivity: text('the id of how sensitive it is by its charter, or empty'),
    differs: list('settings that are not as its charter has them'),
    archived: bool('whether it is archived'),
    binned: bool('whether it is in the bin of its workspace'),
    idleDays: int(
      'days without files opened or changed, messages, mail or calendar entries, in it and its parts; −1 where nothing is known',
    ),
    dormant: bool(
      'whether it lies idle for longer than its charter lets it (90 days where it has none), and is neither kept, archived nor in the bin; a part of a team is not asked by itself',
    ),
    members: int('members who reach it'),
    external: int('guests and outsiders who reach it'),
    files: int('files in it'),
    heavy: int('heavy files in it'),
    weight: int('of the heaviest file in it, 0 to 4'),
    now: NOW,
    could: COULD,
    points: int('exposure points of what is in it'),
    types: list('names of the data types that count in it'),
    created: time('when it was made'),
    modified: time('when something in it was last changed'),
  },
  identities: {
    text: ANY,
    name: text('of the person'),
    address: text('the first of their addresses'),
    domain: text('of that address'),
    kind: text('what they are', ['member', 'guest', 'outsider']),
    active: bool('whether the account is active'),
    department: text('or empty'),
    title: text('or empty'),
    groups: list('names of the groups they are in, nesting followed'),
    ends: bool('whether the account ends by itself'),
    expires: time('when it ends'),
    files: int('files reached'),
    heavy: int('heavy files reached'),
    idleDays: int('days since they last opened or changed a file; −1 where nothing is known'),
    grants: int('grants and links in force that name them'),
    ofPartner: bool('whether they are of a partner'),
    consumer: bool('whether anybody can have a mailbox where theirs is'),
    lookAlike: bool('whether their domain is made to look like ours or a partner’s'),
  },
  groups: {
    text: ANY,
    name: text('of the group'),
    members: int('members in it, nesting followed'),
    external: int('guests and outsiders in it'),
    share: int('its members in a hundred of all active members'),
    grants: int('grants and links in force that name it'),
    spaces: int('spaces that one of these is on, or on something in it'),
    weight: int('of the heaviest that one of these is on, or that is below it, 0 to 4'),
  },
  grants: {
    text: ANY,
    to: text('whom it is for: an address, a group, a domain or everyone'),
    kind: text('what that is', [
      'member',
      'guest',
      'outsider',
      'group',
      'domain',
      'everyone',
      'anyone',
      'inactive',
      'unknown',
    ]),
    size: int(
      'members, guests and outsiders in the group that it is for; else 1, or 0 where it names nobody in particular',
    ),
    ...GIVEN,
    ...ON,
  },
  links: {
    text: ANY,
    audience: text('whom it opens for', AUDIENCES),
    recipients: list('addresses and groups that it is for'),
    ...GIVEN,
    noCopies: bool('whether readers and commenters cannot copy, download or print'),
    password: bool('whether it asks for one'),
    lastUsed: time('when it was last used'),
    ...ON,
  },
  findings: {
    text: ANY,
    kind: text('what it is: a file reached too far, or something that a rule hits', ['exposure', 'breach']),
    rule: text('name of the rule of a breach, or empty'),
    policy: text('name of its policy, or empty'),
    name: text('of the file, or what else it is about'),
    path: text('names from the space down to what holds it'),
    space: text('its space'),
    source: text('id of its workspace'),
    owner: text('who owns it'),
    state: text('what has become of it', ['open', 'accepted', 'fixed', 'reopened']),
    severity: int('by its points', SEVERITIES),
    assignee: text('address of whom it is given to, or empty'),
    points: POINTS,
    weight: WEIGHT,
    now: NOW,
    could: COULD,
    types: TYPES,
    domains: DOMAINS,
    through: list('what makes the reach too wide'),
    notes: int('how many notes there are'),
    opened: time('when it was first found'),
  },
  people: {
    text: ANY,
    name: text('of the person, group or domain'),
    detail: text('department, address or standing'),
    kind: text('what it is', ['member', 'guest', 'outsider', 'inactive', 'group', 'domain']),
    items: int('files reached'),
    heavy: int('heavy files reached'),
    members: int('members in the group'),
    external: int('guests and outsiders in the group'),
    grants: int('grants and links that name it'),
    flags: list('what stands out'),
  },
  apps: {
    text: ANY,
    name: text('of the app'),
    publisher: text('who publishes it, as it says'),
    verified: bool('whether its workspace has verified who that is'),
    category: text('what kind of app it says it is'),
    workspace: text('its workspace'),
    people: int('how many let it in'),
    everyone: bool('whether it was let in for everyone'),
    scopes: list('what it was let in for'),
    unknownScopes: int('how many of these nothing is known of'),
    approved: bool('whether it is approved, for everybody or some groups, with all that it was let in for'),
    refused: bool('whether it is refused'),
    more: bool('whether it is approved for less than it was let in for'),
    items: int('files and folders that it could read'),
    heavy: int('heavy files among them'),
    points: int('points of its risk'),
    severity: int('severity of its risk', SEVERITIES),
    lastUsed: time('when somebody used it last'),
    idleDays: int('days since somebody used it; −1 where nobody is known to have'),
    made: time('when it was made'),
  },
  'app-grants': {
    text: ANY,
    app: text('name of the app'),
    publisher: text('who publishes it, as it says'),
    verified: bool('whether its workspace has verified who that is'),
    category: text('what kind of app it says it is'),
    workspace: text('its workspace'),
    person: text('who let it in; empty where an administrator did for everyone'),
    department: text('the department of whoever let it in'),
    groups: list('names of the groups of whoever let it in'),
    guest: bool('whether a guest let it in'),
    active: bool('whether that account is active; true of a grant for everyone'),
    everyone: bool('whether it was let in for everyone'),
    scopes: list('what it was let in for'),
    unknownScopes: int('how many of these nothing is known of'),
    approved: bool('whether it is approved for them, with all that it was let in for'),
    refused: bool('whether a steward has refused it'),
    more: bool('whether it was let in for more than it is approved for'),
    offline: bool('whether it goes on while they are away'),
    granted: time('when it was let in'),
    lastUsed: time('when it was used last'),
    idleDays: int('days since then; −1 where no use was seen'),
    people: int('how many have let the app in'),
    items: int('files and folders that the app could read'),
    heavy: int('heavy files among them'),
    points: int('points of the app’s risk'),
    severity: int('severity of the app’s risk', SEVERITIES),
  },
  outside: {
    text: ANY,
    domain: text('as registered'),
    expected: bool('whether it is a partner’s'),
    consumer: bool('whether anybody can have a mailbox there'),
    lookAlike: bool('whether it looks like ours or a partner’s'),
    people: int('guests and outsiders of it'),
    shares: int('grants and links that name it'),
    files: int('files it can reach'),
    heavy: int('heavy files among them'),
    heaviest: WEIGHT,
    points: POINTS,
    sharers: list('departments of who shared'),
    lastUsed: time('when something of it was last used'),
  },
  'content-files': {
    text: ANY,
    name: text('of the file'),
    path: text('names from the space down to what holds it'),
    owner: text('who owns it'),
    weight: WEIGHT,
    now: NOW,
    could: COULD,
    types: TYPES,
    occurrences: int('how often all of it occurs'),
    certainty: int('of the surest match'),
  },
  unread: {
    text: ANY,
    name: text('of the file'),
    path: text('names from the space down to what holds it'),
    owner: text('who owns it'),
    sizeBytes: int('its size'),
    reason: text('why it was not read'),
    now: NOW,
    could: COULD,
  },
  causes: {
    text: ANY,
    words: text('what it is'),
    kind: text('what can be changed', ['grant', 'link', 'visibility', 'membership']),
    points: POINTS,
    findings: int('findings it closes'),
    members: int('members who would lose something'),
    external: int('guests and outsiders who would'),
    madeBy: text('who made it'),
  },
  changes: {
    text: ANY,
    name: text('of the file, folder or space'),
    path: text('names from the space down to what holds it'),
    kind: text('what it is', ['file', 'folder', 'space']),
    change: text('what happened', ['brighter', 'darker', 'added', 'removed', 'same']),
    weight: WEIGHT,
    before: int('how far access could extend before; −1 where it was not there', TIERS),
    after: int('how far it could after; −1 where it is gone', TIERS),
    gained: int('people who gained something'),
    lost: int('people who lost something'),
    by: text('the first cause'),
  },
  'data-types': {
    text: ANY,
    id: text('its identifier'),
    name: text('its name'),
    country: text('two letters of the country, or empty'),
    source: text('by what it is defined'),
    weight: WEIGHT,
    custom: bool('whether stewards made it'),
    active: bool('whether it is looked for'),
    from: int('certainty from which it counts'),
    files: int('files it counts in'),
    occurrences: int('how often it counts'),
    packs: list('packs it is in'),
  },
  plans: {
    text: ANY,
    name: text('what it is called'),
    reason: text('why it was made'),
    state: text('how far it has come', PLAN_STATE_NAMES),
    madeBy: text('who made it'),
    madeAt: time('when it was made'),
    appliedAt: time('when it was applied'),
    size: int('changes in it'),
    troubled: int('changes that want looking at'),
    cameBack: int('changes that somebody brought back'),
    waits: bool('a second steward has to approve it, or undoing it'),
  },
  events: {
    text: ANY,
    type: text('what happened', [
      'file.shared',
      'file.opened',
      'file.edited',
      'file.downloaded',
      'file.printed',
      'file.uploaded',
      'link.made',
      'grant.made',
      'guest.added',
      'setting.changed',
    ]),
    source: text('where it comes from'),
    id: text('of the event'),
    actor: text('who did it: an id or an address'),
    actorName: text('who did it: a name'),
    department: text('of who did it'),
    groups: list('names of the groups that who did it is in, nesting followed'),
    item: text('id of the file or folder'),
    name: text('of the file, folder or space'),
    extension: text('what the name of the file ends with', ['pdf', 'xlsx', 'pem', 'key']),
    path: text('names from the space down to what holds it'),
    space: text('id of the space'),
    label: text('its label, or empty'),
    types: TYPES,
    target: text('whom it concerns: an address, a group, a domain, everyone or anyone'),
    targetName: text('of whom it concerns: a name'),
    outside: bool('whether somebody outside is concerned'),
    domain: text('of whom it concerns, where they are outside'),
    partner: bool('whether that domain is a partner’s'),
    newDomain: bool('whether that domain was never seen before'),
    role: text('what was given', ['reader', 'commenter', 'editor', 'manager']),
    detail: text('which settings were changed'),
    time: time('when'),
    hour: int('of the day, 0 to 23, by UTC'),
    weekday: text('by UTC', ['Monday', 'Tuesday', 'Saturday', 'Sunday']),
    device: text('on what device', ['managed', 'unmanaged']),
    address: text('network address'),
    weight: WEIGHT,
  },
  ledger: {
    text: ANY,
    seq: int('number of the entry'),
    who: text('who did it'),
    what: text('what was done'),
    subject: text('to what'),
    at: time('when'),
  },
} as const satisfies Record<string, Fields>;

/** Fields whose names do not say enough by themselves. */
const NAMED: Readonly<Record<string, string>> = {
  text: 'Any of its names',
  now: 'Reach now',
  could: 'Possible reach',
  ends: 'Ends by itself',
  exposed: 'Is exposed',
  external: 'External',
  inherits: 'Takes access from above',
  mime: 'Media type',
  sizeBytes: 'Size in bytes',
  types: 'Data types',
  domains: 'Outside domains',
  editorsShare: 'Editors may share',
  dim: 'Passed over by search',
  gated: 'Has a gate',
  consumer: 'Has a personal mailbox',
  lookAlike: 'Has a look-alike domain',
  ofPartner: 'Is of a partner',
  noCopies: 'Without copies',
  password: 'Has a password',
  to: 'Whom it is for',
  on: 'What it is on',
  through: 'Causes',
  share: 'Share of all members',
  active: 'Is active',
};
/** What a field is called where conditions are shown as rows: `spaceKind` is “Space kind”. */
export const fieldWords = (name: string): string =>
  NAMED[name] ??
  name
    .replace(/[A-Z]/g, (c) => ` ${c.toLowerCase()}`)
    .replaceAll('-', ' ')
    .replace(/^./, (c) => c.toUpperCase());

/** Tables whose rows can be asked what they hold: of a grant or a link, what it is on. */
export const HOLDERS = ['items', 'grants', 'links'] as const satisfies readonly (keyof typeof FIELDS)[];

export type Filtered = keyof typeof FIELDS;
export const FILTERED = Object.keys(FIELDS) as Filtered[];

/**
 * The conditions of a filter that all must hold: split at every `&&` that stands in no bracket and no
 * quotes, so that they can be shown, and dropped, one by one.
 */
export function splitConditions(filter: string): string[] {
  const parts: string[] = [];
  let depth = 0;
  let quote = '';
  let from = 0;
  for (let i = 0; i < filter.length; i++) {
    const c = filter[i]!;
    if (quote) {
      if (c === '\\') i++;
      else if (c === quote) quote = '';
    } else if (c === '"' || c === "'") quote = c;
    else if ('([{'.includes(c)) depth++;
    else if (')]}'.includes(c)) depth--;
    else if (depth === 0 && c === '&' && filter[i + 1] === '&') {
      parts.push(filter.slice(from, i));
      from = ++i + 1;
    }
  }
  parts.push(filter.slice(from));
  return parts.map((p) => p.trim()).filter(Boolean);
}

/** Conditions as one filter; what could bind looser than `&&` is put in brackets. */
export const joinConditions = (parts: readonly string[]): string =>
  parts.map((p) => (/\|\||\?/.test(p) && !isWrapped(p) ? `(${p})` : p)).join(' && ');

function isWrapped(p: string): boolean {
  if (!p.startsWith('(')) return false;
  let depth = 0;
  for (let i = 0; i < p.length; i++) {
    if (p[i] === '(') depth++;
    else if (p[i] === ')' && --depth === 0) return i === p.length - 1;
  }
  return false;
}
