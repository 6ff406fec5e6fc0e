/** What a rule can do about what it hits, each declared once. */
import { z } from 'zod';
import { AUDIENCES, EXTERNAL_SHARING, ROLES } from '../model.ts';
import { REVIEW_KINDS } from '../ask/kinds.ts';
import type { Subject } from './kinds.ts';

interface ResponseDeclaration {
  /** What it is called. */
  words: string;
  /** What it does, to whoever chooses it. */
  about: string;
  /** What it can be done to: at rest to what was surveyed, at the moment to what somebody is about to do. */
  atRest?: readonly Subject[];
  atMoment?: readonly Subject[];
  /** Of several for one thing that cannot all be done, the highest is. */
  strictness: number;
  params: z.ZodRawShape;
}

const CONTENT = ['item'] as const;
const ON_NODES = ['item', 'space'] as const;
const ENTRIES = ['grant', 'link'] as const;
const days = (most: number) => z.int().min(1).max(most);
const text = (most: number) => z.string().trim().min(1).max(most);

/** The settings of a space that can be set back. */
const SETTINGS = {
  externalSharing: z.enum(EXTERNAL_SHARING),
  visibility: z.enum(['members', 'organisation']),
  defaultAudience: z.enum(AUDIENCES),
  editorsShare: z.boolean(),
  dim: z.boolean(),
};

export const RESPONSES = {
  refuse: {
    words: 'Refuse',
    about: 'It is not done, and whoever tried is told why; for an app, they can ask for it.',
    atMoment: ['item', 'space', 'grant', 'link', 'appGrant'],
    strictness: 90,
    params: { text: text(500).optional() },
  },
  'ask-first': {
    words: 'Ask first',
    about: 'It waits until an owner of the space says yes.',
    atMoment: ['item', 'space', 'grant', 'link'],
    strictness: 80,
    params: {},
  },
  caution: {
    words: 'Caution',
    about: 'Whoever does it is warned, and may go on.',
    atMoment: ['item', 'space', 'grant', 'link', 'appGrant'],
    strictness: 20,
    params: { text: text(500).optional(), reason: z.boolean().optional() },
  },
  'without-copies': {
    words: 'Without copies',
    about: 'Readers and commenters cannot download, print or copy. Editors can.',
    atRest: ['item', 'space', 'link'],
    atMoment: ['item', 'link'],
    strictness: 30,
    params: {},
  },
  delete: {
    words: 'Delete',
    about:
      'It goes to the bin of its workspace, and can be restored from there; a space with all that belongs to it.',
    atRest: ON_NODES,
    strictness: 95,
    params: { restorableDays: days(30).optional() },
  },
  quarantine: {
    words: 'Quarantine',
    about: 'Nobody can do anything with it until it is let go.',
    atRest: CONTENT,
    strictness: 85,
    params: {},
  },
  'withdraw-outside': {
    words: 'Withdraw outside access',
    about:
      'Guests, outsiders, other domains and links for anyone lose it. Members keep it, but for what a grant to anyone, or to a whole domain, gave them.',
    atRest: [...ON_NODES, ...ENTRIES, 'identity'],
    strictness: 70,
    params: {},
  },
  'withdraw-anyone': {
    words: 'Withdraw links for anyone',
    about: 'Links and grants that open for anyone are taken away.',
    atRest: [...ON_NODES, ...ENTRIES],
    strictness: 60,
    params: {},
  },
  withdraw: {
    words: 'Withdraw',
    about: 'The grant or link itself is taken away; the app from whoever let it in, or from all of them.',
    atRest: [...ENTRIES, 'app', 'appGrant'],
    strictness: 75,
    params: {},
  },
  'take-out': {
    words: 'Take out of a space',
    about:
      'They lose what gives them access to the space as a whole: grants that name them, and groups that serve that space alone.',
    atRest: ['identity'],
    strictness: 72,
    params: { space: text(1100) },
  },
  narrow: {
    words: 'Narrow',
    about: 'The grant or link gives no more than a role; a link opens for no more than an audience.',
    atRest: ENTRIES,
    strictness: 50,
    params: { role: z.enum(ROLES).optional(), audience: z.enum(AUDIENCES).optional() },
  },
  'let-end': {
    words: 'Let end',
    about: 'It ends by itself after some days.',
    atRest: [...ENTRIES, 'identity'],
    strictness: 40,
    params: { days: days(3650) },
  },
  suspend: {
    words: 'Suspend the account',
    about: 'They cannot sign in until the account is reactivated.',
    atRest: ['identity'],
    strictness: 92,
    params: {},
  },
  'hand-over': {
    words: 'Hand over to the manager',
    about: 'The manager of whoever owns it becomes its owner; of a person, the owner of all they own.',
    atRest: ['item', 'identity'],
    strictness: 35,
    params: {},
  },
  gate: {
    words: 'Gate',
    about: 'Only members of some groups come in, whatever else is granted.',
    atRest: ['space'],
    strictness: 65,
    params: { groups: z.array(text(1100)).min(1).max(50) },
  },
  label: {
    words: 'Label',
    about: 'It is given a label.',
    atRest: ON_NODES,
    strictness: 15,
    params: { label: text(100) },
  },
  dim: {
    words: 'Dim',
    about: 'Search and assistants pass it over. Who may open it stays as it is.',
    atRest: ON_NODES,
    strictness: 25,
    params: {},
  },
  archive: {
    words: 'Archive',
    about:
      'Nobody can change anything in it, and search passes it over. Who may read it stays as it is. With all that belongs to it.',
    atRest: ['space'],
    strictness: 45,
    params: {},
  },
  'make-owner': {
    words: 'Make an owner',
    about: 'Somebody becomes an owner of it, beside those who are.',
    atRest: ['space'],
    strictness: 34,
    params: { person: text(1100) },
  },
  'to-charter': {
    words: 'Set to its charter',
    about: 'Settings that are not as its charter has them are set so.',
    atRest: ['space'],
    strictness: 54,
    params: {},
  },
  charter: {
    words: 'Give a charter',
    about: 'It is given a purpose and a sensitivity, unless it has a charter.',
    atRest: ['space'],
    strictness: 5,
    params: { purpose: text(40), sensitivity: text(40) },
  },
  'set-back': {
    words: 'Set back',
    about: 'Settings of the space are set to what they should be.',
    atRest: ['space'],
    strictness: 55,
    params: {
      to: z
        .strictObject(SETTINGS)
        .partial()
        .refine((s) => Object.keys(s).length > 0, 'names no setting'),
    },
  },
  ask: {
    words: 'Ask the owners',
    about: 'Owners of the space that it is, or in which it lies, are asked in a round.',
    atRest: ['item', 'space', 'grant', 'link'],
    strictness: 10,
    params: { about: z.enum(REVIEW_KINDS).optional(), dueDays: days(180).optional() },
  },
  finding: {
    words: 'Open a finding',
    about: 'It is listed among the findings: assigned, accepted until a day, reopened.',
    atRest: ['item', 'space', 'grant', 'link', 'identity', 'group', 'app', 'appGrant'],
    strictness: 0,
    params: {},
  },
} as const satisfies Record<string, ResponseDeclaration>;

export type ResponseName = keyof typeof RESPONSES;
export const RESPONSE_NAMES = Object.keys(RESPONSES) as ResponseName[];

/** Responses that change nothing at a workspace, and so are no part of a plan. */
export const TELLING: readonly ResponseName[] = ['ask', 'finding', 'charter'];

/** One response of a rule, as it stands in a policy. */
export interface RuleResponse {
  do: ResponseName;
  [param: string]: unknown;
}

/** By which `do` each is told apart; keys that are not known are refused by name. */
export const responseSchema = z.discriminatedUnion(
  'do',
  RESPONSE_NAMES.map((name) => z.strictObject({ do: z.literal(name), ...RESPONSES[name].params })) as never,
) as unknown as z.ZodType<RuleResponse, RuleResponse>;

/** Where a response can be had. */
export const possibleAt = (name: ResponseName, subject: Subject, when: 'atRest' | 'atMoment'): boolean =>
  ((RESPONSES[name] as ResponseDeclaration)[when] ?? []).includes(subject);
