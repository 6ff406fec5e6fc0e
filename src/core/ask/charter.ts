/** Charters: what a space is for, which is its purpose, and how sensitive it is, which brings settings. */
import { z } from 'zod';
import { sameJson } from '../equal.ts';
import { AUDIENCES, EXTERNAL_SHARING, type SpaceRow } from '../model.ts';
import { DORMANT_DAYS } from './activity.ts';
import { REVIEW_KINDS } from './kinds.ts';

const name = z.string().trim().min(1).max(80);
const description = z.string().trim().max(500).default('');
const id = z.string().regex(/^[a-z0-9][a-z0-9-]{0,39}$/, 'is lower-case letters, digits and hyphens');

/** Why there is a space, and how long it may lie idle. */
export const purposeSchema = z.strictObject({
  id,
  name,
  description,
  dormantDays: z.int().min(7).max(3650).default(DORMANT_DAYS),
});
export type Purpose = z.infer<typeof purposeSchema>;

/** The settings that a sensitivity can bring. What is not among them stays as it is. */
export const charterSettings = z.strictObject({
  visibility: z.enum(['members', 'organisation']).optional(),
  externalSharing: z.enum(EXTERNAL_SHARING).optional(),
  defaultAudience: z.enum(AUDIENCES).optional(),
  editorsShare: z.boolean().optional(),
  dim: z.boolean().optional(),
  /** Groups by id, name or what their source calls them. */
  gate: z.array(z.string().trim().min(1).max(1100)).max(50).optional(),
});
export type CharterSettings = z.infer<typeof charterSettings>;

/** Months between two reviews. */
export const RHYTHMS = { monthly: 1, quarterly: 3, 'half-yearly': 6, yearly: 12 } as const;
export type Rhythm = keyof typeof RHYTHMS;
export const RHYTHM_NAMES = Object.keys(RHYTHMS) as Rhythm[];

/** How sensitive what is in a space is, and what that brings with it. */
export const sensitivitySchema = z.strictObject({
  id,
  name,
  description,
  settings: charterSettings.default({}),
  /** At least so many active owners. */
  owners: z.int().min(1).max(10).default(1),
  /** What its owners are asked about, and how often. */
  review: z
    .strictObject({ kind: z.enum(REVIEW_KINDS), every: z.enum(RHYTHM_NAMES) })
    .nullable()
    .default(null),
});
export type Sensitivity = z.infer<typeof sensitivitySchema>;

/** What one space is for. */
export interface Charter {
  purpose: string;
  sensitivity: string;
}

/** Everything about charters that a survey is asked with. */
export interface Charters {
  purposes: ReadonlyMap<string, Purpose>;
  sensitivities: ReadonlyMap<string, Sensitivity>;
  /** By id of the space. */
  of: ReadonlyMap<string, Charter>;
  /** Spaces that are kept though nothing happens in them, with the day until which, in milliseconds since 1970. */
  kept: ReadonlyMap<string, number>;
  /** Who should own a space after those who do, by id, and the name of whoever said so. */
  wishes: ReadonlyMap<string, { person: string; by: string }>;
}
export const NO_CHARTERS: Charters = {
  purposes: new Map(),
  sensitivities: new Map(),
  of: new Map(),
  kept: new Map(),
  wishes: new Map(),
};

/** What holds where a space says nothing. */
const USUAL: Required<CharterSettings> = {
  visibility: 'members',
  externalSharing: 'anyone',
  defaultAudience: 'named',
  editorsShare: true,
  dim: false,
  gate: [],
};
export const SETTING_NAMES = Object.keys(charterSettings.shape) as (keyof CharterSettings)[];

/** The settings of a sensitivity with groups as a survey knows them; those of unknown name are told. */
export function settingsFor(
  { settings }: Pick<Sensitivity, 'settings'>,
  group: (named: string) => string | undefined,
): { settings: CharterSettings; unknown: string[] } {
  if (!settings.gate) return { settings, unknown: [] };
  const unknown = settings.gate.filter((g) => group(g) === undefined);
  return { settings: { ...settings, gate: settings.gate.map((g) => group(g) ?? g) }, unknown };
}

/** Settings of a space that are not as its charter has them. */
export function differing(row: SpaceRow, settings: CharterSettings): (keyof CharterSettings)[] {
  return SETTING_NAMES.filter(
    (name) => settings[name] !== undefined && !sameJson(settings[name], row[name] ?? USUAL[name]),
  );
}

/** The fields that take a space back to its charter; null takes a gate of no groups away. */
export const backTo = (
  row: SpaceRow,
  settings: CharterSettings,
): Partial<Record<keyof CharterSettings, unknown>> =>
  Object.fromEntries(
    differing(row, settings).map((name) => [
      name,
      name === 'gate' && !settings.gate!.length ? null : settings[name],
    ]),
  );

const OF_CHARTERS = /\b(?:purpose|sensitivity|differs|dormant|leastOwners|charters)\b/;
/** Whether what a policy says may ask about charters: where it does not, it is as it was when they change. */
export const asksOfCharters = (policy: {
  rules: object[];
  scope?: object | undefined;
  filter?: string | undefined;
}): boolean => OF_CHARTERS.test(JSON.stringify([policy.rules, policy.scope, policy.filter]));
