/** What a table's filter can ask about: names, types and meanings. No more than this is known to the interface. */
import { SEVERITIES } from '../exposure/exposure.ts';
import { TIERS } from '../model.ts';
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

export const FIELDS = {
  items: {
    text: ANY,
    name: text('of the file, folder or space'),
    path: text('names from the space down to what holds it'),
    kind: text('what it is', ['file', 'folder', 'space']),
    workspace: text('its workspace'),
    space: text('its space'),
    spaceKind: text('the kind of its space', [
      'site',
      'team',
      'shared-drive',
      'personal-drive',
      'channel',
      'mailbox',
    ]),
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
    inherits: bool('whether it takes access from what it lies in'),
    modified: time('when it was last changed'),
  },
  findings: {
    text: ANY,
    name: text('of the file'),
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
  ledger: {
    text: ANY,
    seq: int('number of the entry'),
    who: text('who did it'),
    what: text('what was done'),
    subject: text('to what'),
    at: time('when'),
  },
} as const satisfies Record<string, Fields>;

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
