/** Changes as plans hold them: each to one object of one source, by the source's own ids. */
import { sameJson } from '../equal.ts';
import type { Tier } from '../model.ts';
import { canBeTakenAway, holdsByDefault, type AwayKind, type FieldsOf, type ObjectKind } from './fields.ts';

export interface ObjectKey {
  kind: ObjectKind;
  source: string;
  id: string;
}
/**
 * One change to one object. Without `set` the object is taken away, where its kind can be; of others something is
 * set.
 */
export type PlannedChange = {
  [K in ObjectKind]: { kind: K; source: string; id: string } & (keyof FieldsOf[K] extends never
    ? { set?: undefined }
    : K extends AwayKind
      ? { set?: FieldsOf[K] | undefined }
      : { set: FieldsOf[K] });
}[ObjectKind];

export const memberId = (group: string, value: string): string =>
  `${encodeURIComponent(group)}/${encodeURIComponent(value)}`;
/** The group and the member of such an id. */
export const memberOf = (id: string): [group: string, value: string] => {
  const [group, value] = id.split('/').map(decodeURIComponent);
  return [group ?? '', value ?? ''];
};

type Doc = Record<string, unknown>;

/** Absent, null, false and the empty list say the same of a field that is set. */
const plain = (v: unknown): unknown =>
  v === undefined || v === null || v === false || (Array.isArray(v) && v.length === 0) ? null : v;
const value = (row: Doc, field: string): unknown =>
  holdsByDefault(field) ? row[field] !== false : plain(row[field]);

/** Whether a row has the fields as they were to be set. */
export const hasFields = (row: object, set: object): boolean =>
  Object.keys(set).every((k) => sameJson(value(row as Doc, k), value(set as Doc, k)));

/** What has to be set so that a row is as it was before a change. */
export const inverse = (set: object, before: object): Doc =>
  Object.fromEntries(Object.keys(set).map((k) => [k, (before as Doc)[k] ?? null]));

/**
 * Names of the fields in which an object is not as it was thought to be. Of a grant, link or membership
 * all count but when a link was last used; of what changes from day to day by itself, only those that
 * are set.
 */
export function whatDiffers(kind: ObjectKind, thought: object, is: object, set?: object): string[] {
  const [a, b] = [thought as Doc, is as Doc];
  const fields = canBeTakenAway(kind)
    ? [...new Set([...Object.keys(a), ...Object.keys(b)])].filter((k) => k !== 'lastUsedAt')
    : Object.keys(set ?? {});
  return fields.filter((k) => !sameJson(value(a, k), value(b, k))).sort();
}

/**
 * Changes as one list without repeats: those that set different fields of one object are put together.
 * `conflicts`: pairs of places in what was given that cannot both be had, because one takes away what
 * the other sets, or both set a field, to different values.
 */
export function together(list: readonly PlannedChange[]): {
  changes: PlannedChange[];
  conflicts: [number, number][];
} {
  const byObject = new Map<string, number[]>();
  list.forEach((c, i) => {
    const key = `${c.kind} ${c.source} ${c.id}`;
    byObject.set(key, [...(byObject.get(key) ?? []), i]);
  });
  const conflicts: [number, number][] = [];
  const changes: PlannedChange[] = [];
  for (const places of byObject.values()) {
    for (const [n, i] of places.entries())
      for (const j of places.slice(n + 1)) if (clash(list[i]!.set, list[j]!.set)) conflicts.push([i, j]);
    const sets = places.map((i) => list[i]!.set);
    const set = sets.every((s) => s) ? (Object.assign({}, ...sets) as Doc) : undefined;
    const { set: _, ...object } = list[places[0]!]!;
    changes.push((set ? { ...object, set } : object) as PlannedChange);
  }
  return { changes, conflicts: conflicts.sort((a, b) => a[0] - b[0] || a[1] - b[1]) };
}

export function clash(a: object | undefined, b: object | undefined): boolean {
  if (!a || !b) return !!a !== !!b;
  return Object.keys(a).some((k) => k in b && !sameJson((a as Doc)[k], (b as Doc)[k]));
}

/** From where on a second steward has to approve a plan, or its undoing. */
export interface ApprovalLimits {
  /** So many members and guests losing something, or more. */
  people: number;
  spaces: number;
  /** Items of this weight, or heavier, on which a member loses something. */
  weight: number;
  /** Accounts suspended, and files moved to quarantine or deleted. */
  suspension: boolean;
}
export const DEFAULT_LIMITS: ApprovalLimits = { people: 50, spaces: 10, weight: 4, suspension: true };

/** The stricter of two sets of limits, in everything. */
export const stricterOf = (a: ApprovalLimits, b: ApprovalLimits): ApprovalLimits => ({
  people: Math.min(a.people, b.people),
  spaces: Math.min(a.spaces, b.spaces),
  weight: Math.min(a.weight, b.weight),
  suspension: a.suspension || b.suspension,
});

/** Whether limits let something through for which others want a second steward. */
export const isLooser = (now: ApprovalLimits, before: ApprovalLimits): boolean =>
  !sameJson(stricterOf(now, before), now);

/** Access that is given: to how many, how heavy, and how far at the most. */
export interface Gains {
  people: number;
  /** Guests and outsiders among them. */
  external: number;
  /** Items that more people reach, or could reach, and the heaviest. */
  items: number;
  heaviest: number;
  /** The widest tier that one of these comes to and had not; null where tiers stay. */
  tier: Tier | null;
}
export const NO_GAINS: Gains = { people: 0, external: 0, items: 0, heaviest: 0, tier: null };

/** What giving access comes to, in words; undefined where none is given. */
export function gainWords({ people, external, items, heaviest, tier }: Gains): string | undefined {
  if (!people && !tier) return undefined;
  const who = people
    ? `${people === 1 ? 'one person gains' : `${people} people gain`} access${external ? `, ${external === people ? (people === 1 ? 'from outside' : 'all from outside') : `${external} from outside`}` : ''}`
    : 'more people could gain access';
  const what = items === 1 ? `one item of weight ${heaviest}` : `${items} items up to weight ${heaviest}`;
  return `it widens access: ${who}, to ${what}${tier ? `, as far as “${tier}”` : ''}`;
}

/** Why a plan, or undoing it, wants a second steward, in words; none where it does not. */
export function wantsApproval(
  limits: ApprovalLimits,
  plan: {
    changes: readonly PlannedChange[];
    people: number;
    spaces: number;
    heaviest: number;
    gains: Gains;
  },
): string[] {
  const reasons: string[] = [];
  const wider = gainWords(plan.gains);
  if (wider) reasons.push(wider);
  if (plan.people >= limits.people)
    reasons.push(`${plan.people} people lose something; the limit is ${limits.people}`);
  if (plan.spaces >= limits.spaces)
    reasons.push(`${plan.spaces} spaces are touched; the limit is ${limits.spaces}`);
  if (plan.heaviest >= limits.weight)
    reasons.push(`members lose access to something of weight ${plan.heaviest}`);
  if (limits.suspension) {
    const suspended = plan.changes.filter((c) => c.kind === 'person').length;
    const held = plan.changes.filter((c) => c.kind === 'item' && c.set?.held).length;
    if (suspended) reasons.push(`it changes ${suspended === 1 ? 'an account' : `${suspended} accounts`}`);
    const binned = plan.changes.filter(
      (c) => (c.kind === 'item' || c.kind === 'space') && c.set?.binned,
    ).length;
    if (held) reasons.push(`it moves ${held === 1 ? 'something' : `${held} items`} to quarantine`);
    if (binned) reasons.push(`it deletes ${binned === 1 ? 'something' : `${binned} items`}`);
  }
  return reasons;
}
