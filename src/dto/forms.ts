/** What forms send: the schemas that the browser and the endpoints hold them to. */
import { z } from 'zod';
import { SCOPE_NAMES } from '../core/apps/scopes.ts';
import { DATE_LANGUAGES, isZone } from '../core/dates.ts';
import { GATHER_NAMES } from '../core/messages/when.ts';
import { ANSWER_NAMES } from '../core/orders/schema.ts';
import { SIGNAL_STATES } from './events.ts';

export const day = z.iso.date('needs a day');
export const number = z.coerce.number().int().min(0).max(2_147_483_647);
/** PostgreSQL’s text cannot hold U+0000, and no name needs it. */
export const text = (most: number) =>
  z
    .string()
    .max(most, `takes at most ${most.toLocaleString('en')} characters`)
    .refine((t) => !t.includes('\0'), 'must not hold U+0000');
export const zone = text(60).refine(isZone, 'needs a time zone, such as Europe/Oslo');
const address = z.email('needs an e-mail address').max(320);

export const signInForm = z.object({
  address: text(320).min(1, 'needs an e-mail address'),
  password: text(1024).min(1, 'needs a password'),
});
export const firstStewardForm = z.object({
  code: text(100).min(1, 'needs the code that the server printed'),
  name: text(200).min(1, 'needs a name'),
  address,
  password: text(1024).min(12, 'needs at least 12 characters'),
});

const newPassword = text(1024).min(12, 'needs at least 12 characters');
export const inviteForm = z.object({
  name: text(200).trim().min(1, 'needs a name'),
  address,
  role: z.enum(['steward', 'auditor', 'owner']),
});
export const welcomeForm = z.object({ token: text(100).min(1), password: newPassword });
export const passwordForm = z.object({
  old: text(1024).min(1, 'needs the password that you have now'),
  password: newPassword,
});
/** One's own password again, before what protects an account is changed. */
export const proofForm = z.object({ password: text(1024).min(1, 'needs your password') });
export const datesForm = z.object({
  language: z.enum(Object.keys(DATE_LANGUAGES) as (keyof typeof DATE_LANGUAGES)[]),
  zone,
});
export const codeForm = z.object({ code: text(40).trim().min(6, 'needs the code') });
export const passkeyNameForm = z.object({ name: text(60).trim().min(1, 'needs a name') });
const names = z.array(text(300).min(1)).max(500).default([]);
const role = z.enum(['steward', 'auditor', 'owner']);
export const ssoForm = z.object({
  name: text(60).trim().min(1, 'needs a name'),
  issuer: z.url({ protocol: /^https?$/, error: 'needs an address that begins with https://' }).max(2000),
  clientId: text(500).trim().min(1, 'needs a client ID'),
  /** Left empty it stays as it is. */
  secret: text(2000),
  claim: text(200).trim().min(1, 'needs the name of a claim'),
  roles: z
    .array(z.object({ value: text(300).trim().min(1, 'needs a value'), role }))
    .max(100, 'takes at most 100 values'),
  otherwise: role.nullable(),
  makes: z.boolean(),
  passwords: z.boolean(),
  emergency: text(320).nullable(),
});
/** A part of the organisation. */
export const heldForm = z.object({ workspaces: names, departments: names, spaces: names });
export const tokenForm = z.object({
  name: text(100).trim().min(1, 'needs a name'),
  role: z.enum(['steward', 'auditor', 'owner']),
  lastDay: day,
  held: heldForm.nullable(),
});
const whole = (least: number, most: number) =>
  z
    .number('needs a number')
    .int('needs a whole number')
    .min(least, `needs at least ${least}`)
    .max(most, `takes at most ${most}`);
export const signInSettingsForm = z.object({
  idleMinutes: whole(5, 1440),
  longestHours: whole(1, 720),
  secondFactor: z.array(z.enum(['steward', 'auditor', 'owner'])).max(3),
});

const many = z
  .number('needs a number')
  .int('needs a whole number')
  .min(1, 'needs at least 1')
  .max(1_000_000, 'takes at most 1,000,000');
export const limitsForm = z.object({
  people: many,
  spaces: many,
  weight: z.number('needs a number').int().min(1, 'needs at least 1').max(5, 'takes at most 5'),
  suspension: z.boolean(),
});

export const planForm = z.object({ name: text(200).min(1, 'needs a name'), reason: text(2000) });

/** When a plan is to begin. */
export const scheduleForm = z.object({
  at: z.iso.datetime({ offset: true, error: 'needs a day and a time' }),
});

/** For how many days surveys are kept; null for all of them. */
const keptDays = whole(1, 36_500).nullable();
export const retentionForm = z.object({ surveyDays: keptDays, runDays: keptDays });

export const packForm = z.object({
  name: text(100).trim().min(1, 'needs a name'),
  about: text(500),
  types: z.array(text(64)).min(1, 'needs at least one data type').max(300, 'takes at most 300 data types'),
});

export const sourceForm = z.object({
  id: z.string().regex(/^[a-z0-9-]{1,40}$/, 'takes small letters, digits and dashes, up to 40'),
  kind: z.enum(['directory', 'drives', 'sites', 'channels']),
  name: text(200).min(1, 'needs a name'),
  url: z.url({ protocol: /^https?$/, error: 'needs an address that begins with https://' }).max(2000),
  token: text(4000).min(1, 'needs a token'),
});

/** What is left out, or left empty, stays as it is. */
export const editSourceForm = z.object({
  id: text(80).min(1),
  name: sourceForm.shape.name.optional(),
  url: z.union([sourceForm.shape.url, z.literal('')]).optional(),
  token: text(4000).optional(),
  paused: z.boolean().optional(),
});

export const domain = text(253)
  .toLowerCase()
  .regex(/^[^\s@/:]+\.[^\s@/:.]+$/, 'needs the name of a domain');
export const partnerForm = z.object({
  domain,
  until: day.nullable(),
  sponsor: text(200).trim().min(1, 'needs the name of whoever answers for it'),
});

/** What a scope of another vocabulary comes to; `kind`: of workspaces of one kind, empty for all. */
export const scopeForm = z.object({
  kind: z.enum(['', 'drives', 'sites', 'channels', 'extract']),
  scope: text(300).trim().min(1, 'needs the scope as the workspace writes it'),
  words: text(300).trim().min(3, 'say what it allows, so that others see it'),
  means: z.array(z.enum(SCOPE_NAMES)).max(20),
});
export type ScopeForm = z.infer<typeof scopeForm>;

/** Where registrations of domains are looked up; empty: nowhere. */
export const registryForm = z.object({
  url: text(500)
    .trim()
    .regex(/^(?:https?:\/\/\S+)?$/, 'begins with https://, or is empty'),
});

export const decisionForm = z.discriminatedUnion('act', [
  z.object({
    act: z.literal('accept'),
    until: day,
    reason: text(2000).trim().min(3, 'say why, so that whoever comes after you knows'),
  }),
  z.object({ act: z.literal('reopen') }),
  z.object({ act: z.literal('give'), to: text(320).nullable() }),
  z.object({ act: z.literal('note'), note: text(2000).trim().min(1, 'needs some words') }),
]);

export const viewForm = z.object({
  name: text(100).trim().min(1, 'needs a name'),
  path: text(100).regex(/^\/(?:survey|exposure|remedy|guard|review|record)\/[a-z-]+$/, 'must be a view'),
  search: text(4000),
  shared: z.boolean(),
});

export const signalsForm = z.object({
  ids: z.int().min(1).array().min(1).max(500),
  state: z.enum(SIGNAL_STATES),
  note: text(2000).trim().default(''),
  /** Of those that are ignored: so are others of the same that are found until this day. */
  until: day.optional(),
});
export const ignoreForm = z.object({ until: day, reason: text(2000).trim() });

/** A rhythm is read where it is set: its words are long. */
const rhythm = text(200).nullable();
export const rhythmsForm = z.object({ zone, full: rhythm, incremental: rhythm });

/** How mail goes out. A password that is left empty stays as it is. */
export const mailForm = z.object({
  host: text(253).trim().min(1, 'needs the name of a mail server'),
  port: whole(1, 65_535),
  security: z.enum(['tls', 'starttls', 'none']),
  user: text(320).trim(),
  password: text(1024),
  from: address,
  site: z
    .url({ protocol: /^https?$/, error: 'needs the address at which people reach Gate Lantern' })
    .max(500)
    .transform((t) => t.replace(/\/+$/, '')),
});
export const testMailForm = z.object({ to: address });
const hour = z.int().min(0).max(23);
export const wishForm = z.object({
  gather: z.enum(GATHER_NAMES),
  quiet: z.object({ from: hour, until: hour }).nullable(),
});
export const messagesForm = z.object({ ids: z.int().min(1).array().min(1).max(500) });

/** An order is read where it is kept: everything that is wrong with it is said at once. */
export const orderForm = z.object({ order: z.unknown() });
export const changedOrderForm = orderForm.extend({ from: z.int().min(1) });
export const foreseeForm = orderForm.extend({
  answered: z.enum([...ANSWER_NAMES, 'none']).default('none'),
  still: z.boolean().default(true),
});
export const runsForm = z.object({
  ids: z.int().min(1).array().min(1).max(500),
  act: z.enum(['cancel', 'go-on']),
});
export const acceptForm = z.object({
  until: day,
  reason: text(2000).trim().min(3, 'say why, so that whoever comes after you knows'),
});
export const reasonsForm = z.object({
  reasons: z.array(text(200).trim().min(1, 'needs some words')).max(30, 'takes at most 30 reasons'),
});
/** What somebody answers who was asked. */
export const answerForm = z.object({
  what: z.enum(ANSWER_NAMES),
  reason: text(200).default(''),
  words: text(2000).trim().default(''),
  until: day.optional(),
});
