/** What signals are looked for: each a window over events, with a name and how much it matters. */
import { z } from 'zod';
import { SEVERITIES } from '../exposure/exposure.ts';

/** What can be counted by, and counted. */
export const WINDOW_KEYS = [
  'actor',
  'item',
  'space',
  'target',
  'domain',
  'department',
  'device',
  'address',
  'type',
  'source',
  'id',
] as const;

const UNITS = { W: 604_800_000, D: 86_400_000, H: 3_600_000, M: 60_000, S: 1000 } as const;
const DURATION = /^P(?:(\d+)W)?(?:(\d+)D)?(?:T(?:(\d+)H)?(?:(\d+)M)?(?:(\d+(?:\.\d+)?)S)?)?$/;
/** An ISO 8601 duration in milliseconds; undefined where it is none, or has months or years, which are not always as long. */
export function durationMs(text: string): number | undefined {
  const found = DURATION.exec(text);
  if (!found || text.endsWith('T') || text === 'P') return undefined;
  const ms = Object.values(UNITS).reduce((sum, unit, n) => sum + Number(found[n + 1] ?? 0) * unit, 0);
  return ms > 0 && Number.isSafeInteger(ms) ? ms : undefined;
}

export const windowShape = z.strictObject({
  by: z.enum(WINDOW_KEYS),
  distinct: z.enum(WINDOW_KEYS),
  count: z.int().min(1).max(1_000_000),
  within: z.string().refine((t) => durationMs(t) !== undefined, {
    error: 'takes an ISO 8601 duration such as PT1H or P7D, without months and years',
  }),
  /** A condition over the event; absent: all of them. */
  if: z.string().max(2000).optional(),
});
export type Window = z.infer<typeof windowShape>;

export const patternSchema = z.strictObject({
  name: z.string().trim().min(1).max(100),
  purpose: z.string().trim().max(500).default(''),
  severity: z.enum(SEVERITIES),
  /** Whether it is looked for now. */
  on: z.boolean().default(true),
  window: windowShape,
});
export type Pattern = z.infer<typeof patternSchema>;

/** Extensions of files that keys and certificates are kept in (common practice). */
const KEY_FILES = ['pem', 'key', 'ppk', 'pfx', 'p12', 'csr', 'p7b', 'jks', 'kdbx'];
const SHARED = '(type == "file.shared" || type == "grant.made" || type == "link.made")';

/** Every event that fits, by what it is about. */
const each = (by: Window['by'], within: string, condition: string): Window => ({
  by,
  distinct: 'id',
  count: 1,
  within,
  if: condition,
});

/** To begin with. */
export const PATTERN_STARTERS: readonly Pattern[] = [
  {
    name: 'Many files shared outside at once',
    purpose: 'Somebody shares five or more different files with outsiders within an hour.',
    severity: 'high',
    on: true,
    window: {
      by: 'actor',
      distinct: 'item',
      count: 5,
      within: 'PT1H',
      if: 'type == "file.shared" && outside',
    },
  },
  {
    name: 'Many files downloaded',
    purpose: 'Somebody downloads, prints or copies twenty or more different files within an hour.',
    severity: 'high',
    on: true,
    window: {
      by: 'actor',
      distinct: 'item',
      count: 20,
      within: 'PT1H',
      if: 'type in ["file.downloaded", "file.printed", "file.copied"]',
    },
  },
  {
    name: 'A file made public',
    purpose: 'A link or grant for anyone is made on a file that holds something.',
    severity: 'high',
    on: true,
    window: each('item', 'PT1H', `${SHARED} && target == "anyone" && weight >= 2`),
  },
  {
    name: 'Who may open heavy files changes',
    purpose: 'Grants or links are made, changed or removed on files of the two heaviest kinds.',
    severity: 'medium',
    on: true,
    window: each(
      'item',
      'P1D',
      '(type.startsWith("grant.") || type.startsWith("link.")) && type != "link.opened" && weight >= 3',
    ),
  },
  {
    name: 'First share with a domain',
    purpose: 'Something is shared with a domain that was in no survey before.',
    severity: 'medium',
    on: true,
    window: each('domain', 'P7D', `${SHARED} && newDomain`),
  },
  {
    name: 'Keys and certificates handed on',
    purpose: 'A file that keys are kept in, or in which some were found, is uploaded or shared.',
    severity: 'high',
    on: true,
    window: each(
      'item',
      'P1D',
      `(${SHARED} || type == "file.uploaded") && (extension in ${JSON.stringify(KEY_FILES)} || types.exists(t, t.contains("key")))`,
    ),
  },
  {
    name: 'A guest made manager',
    purpose: 'Somebody outside may manage a space, or decide who else is in it.',
    severity: 'high',
    on: true,
    window: each(
      'target',
      'P1D',
      'type in ["grant.made", "grant.changed", "member.added"] && outside && role == "manager"',
    ),
  },
  {
    name: 'A space opened wider',
    purpose: 'The gate of a space, its visibility or whom it may share with is set.',
    severity: 'medium',
    on: true,
    window: each(
      'space',
      'P1D',
      'type == "setting.changed" && (detail.contains("gate") || detail.contains("externalSharing") || detail.contains("visibility"))',
    ),
  },
  {
    name: 'Refused again and again',
    purpose: 'What somebody was about to do is refused five times within an hour.',
    severity: 'medium',
    on: true,
    window: { by: 'actor', distinct: 'id', count: 5, within: 'PT1H', if: 'type == "decision.refused"' },
  },
  {
    name: 'Much by night from a private device',
    purpose: 'Ten or more different files are opened on an unmanaged device between 22 and 5 o’clock UTC.',
    severity: 'low',
    on: true,
    window: {
      by: 'actor',
      distinct: 'item',
      count: 10,
      within: 'PT2H',
      if: 'type in ["file.opened", "file.downloaded"] && device == "unmanaged" && (hour >= 22 || hour < 5)',
    },
  },
];
