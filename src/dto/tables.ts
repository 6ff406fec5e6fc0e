/**
 * Every table, and what it can be asked for. One schema for each: the view, its count and its export read the same,
 * so that what is exported is what is seen.
 */
import { z } from 'zod';
import { EVENT_TYPES, type EventType } from '../core/guard/events.ts';
import { SPACE_KINDS, TIERS } from '../core/model.ts';
import { SPACES_KEYS, SPACES_SHOWN, SPACES_SHOWS } from './charters.ts';
import { APP_SHOWS, APP_SORTS } from './apps.ts';
import { OUTCOMES } from './decisions.ts';
import { SIGNAL_SHOWS } from './events.ts';
import { HIT_STATES } from './guard.ts';
import { MESSAGE_SHOWS } from './messages.ts';
import { RUN_SHOWS } from './orders.ts';
import { FINDING_SORTS, OUTSIDE_SHOWS } from './exposure.ts';
import {
  asOf,
  cell,
  cross,
  findingFilter,
  limit,
  node,
  number,
  offset,
  sorts,
  text,
  where,
  zone,
} from './inputs.ts';

const find = text(200).optional();
const ws = text(200).optional();
const up = z.stringbool().default(true);

/** What each table is held to and ordered by. */
export const TABLE_QUERIES = {
  findings: findingFilter.extend({ sort: sorts(FINDING_SORTS, 'points') }),
  causes: z.object({ asOf, text: find, where: where('causes') }),
  contents: z.object({
    asOf,
    pack: text(64).optional(),
    ws,
    certainty: number.max(100).optional(),
    text: find,
    where: where('content-files'),
    byWorkspace: z.stringbool().default(false),
  }),
  'content-files': z.object({
    asOf,
    pack: text(64).optional(),
    type: text(64).optional(),
    ws,
    certainty: number.max(100).optional(),
    tier: z.enum(TIERS).optional(),
    text: find,
    where: where('content-files'),
    sort: sorts(['occurrences', 'certainty', 'reach', 'name', 'weight'], 'reach'),
  }),
  unread: z.object({ asOf, ws, text: find, where: where('unread') }),
  apps: z.object({
    asOf,
    show: z.enum(APP_SHOWS).default('all'),
    ws,
    text: find,
    where: where('apps'),
    sort: sorts(APP_SORTS, 'points'),
  }),
  outside: z.object({
    asOf,
    show: z.enum(OUTSIDE_SHOWS).default('all'),
    text: find,
    where: where('outside'),
    sort: sorts(['domain', 'points', 'files', 'heavy', 'people', 'shares', 'lastUsed'], 'points'),
  }),
  holdings: z.object({
    asOf,
    parent: node.optional(),
    list: z.stringbool().default(false),
    text: find,
    kind: z
      .enum([
        'space',
        'site',
        'team',
        'shared-drive',
        'personal-drive',
        'channel',
        'mailbox',
        'folder',
        'file',
      ])
      .optional(),
    weight: number.max(4).optional(),
    tier: z.enum(TIERS).optional(),
    domain: text(300).optional(),
    owner: text(512).optional(),
    where: where('items'),
    only: z.enum(['exposed', 'breaks', 'no-owner', 'dormant', 'links']).optional(),
    sort: sorts(['name', 'reach', 'weight', 'members', 'external', 'files', 'activity', 'bytes'], 'name'),
  }),
  spaces: z.object({
    of: z.enum(SPACES_SHOWN),
    show: z.enum(SPACES_SHOWS).optional(),
    text: find,
    kind: z.enum(SPACE_KINDS).optional(),
    sensitivity: text(40).optional(),
    where: where('spaces'),
    sort: sorts(SPACES_KEYS, 'idle'),
  }),
  answers: z.object({ round: number, text: find }),
  people: z.object({
    asOf,
    show: z.enum(['members', 'guests', 'outsiders', 'groups', 'domains', 'dangling']).default('groups'),
    text: find,
    where: where('people'),
    sort: sorts(['name', 'items', 'heavy', 'grants', 'members', 'external'], 'name'),
  }),
  changes: z.object({
    from: number,
    to: number.optional(),
    change: z.enum(['brighter', 'darker', 'added', 'removed', 'same']).optional(),
    kind: z.enum(['space', 'item']).optional(),
    source: text(200).optional(),
    text: find,
    where: where('changes'),
    by: text(2000).optional(),
    sort: sorts(['reach', 'weight', 'gained', 'lost', 'name'], 'reach'),
  }),
  cross,
  'cross-files': cross.extend({ at: cell }),
  plans: z.object({ text: find, where: where('plans') }),
  quarantine: z.object({}),
  hits: z.object({
    policy: number.optional(),
    rule: text(64).optional(),
    state: z.enum([...HIT_STATES, 'now', 'all']).default('now'),
    text: find,
  }),
  decisions: z.object({
    policy: number.optional(),
    outcome: z.enum(OUTCOMES).optional(),
    text: find,
  }),
  events: z.object({
    type: z.enum(Object.keys(EVENT_TYPES) as EventType[]).optional(),
    since: z.iso.datetime({ offset: true }).optional(),
    until: z.iso.datetime({ offset: true }).optional(),
    actor: text(1100).optional(),
    node: node.optional(),
    signal: number.optional(),
    /** Of the day and of the week (Monday is 1), by the clock of a time zone. */
    hour: number.max(23).optional(),
    weekday: number.min(1).max(7).optional(),
    zone: zone.default('UTC'),
    text: find,
    where: where('events'),
  }),
  signals: z.object({
    state: z.enum(SIGNAL_SHOWS).default('waiting'),
    pattern: number.optional(),
    text: find,
  }),
  runs: z.object({
    order: number.optional(),
    show: z.enum(RUN_SHOWS).default('under-way'),
    /** Of what they are about, or who did it. */
    key: text(2300).optional(),
    text: find,
  }),
  messages: z.object({
    state: z.enum(MESSAGE_SHOWS).default('all'),
    kind: text(50).optional(),
    text: find,
  }),
  'data-types': z.object({ where: where('data-types') }),
  ledger: z.object({ text: find, where: where('ledger'), down: up }),
} as const satisfies Record<string, z.ZodObject>;

export type TableName = keyof typeof TABLE_QUERIES;
export const TABLES = Object.keys(TABLE_QUERIES) as TableName[];
export type QueryOfTable<T extends TableName> = z.infer<(typeof TABLE_QUERIES)[T]>;

/** A page of a table. */
export const page = { limit, offset };
