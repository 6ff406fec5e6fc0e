/** Settings: one JSON value by name. */
import { PRESETS } from '../core/recognise/threshold.ts';
import { DEFAULT_LIMITS, type ApprovalLimits } from '../core/remedy/plan.ts';
import type { SignInSettings } from '../core/roles.ts';
import type { ScheduleSettings } from '../core/dates.ts';
import type { Db } from './db.ts';

export async function readSetting<T>(db: Db, name: string): Promise<T | undefined> {
  return (await db.query<{ value: T }>('select value from setting where name = $1', [name]))[0]?.value;
}

export const writeSetting = async (db: Db, name: string, value: unknown): Promise<void> => {
  await db.query(
    'insert into setting (name, value) values ($1, $2::jsonb) on conflict (name) do update set value = excluded.value',
    [name, JSON.stringify(value)],
  );
};

/** From which certainty matches count: usually, and by data types that have their own. */
export interface Certainty {
  usual: number;
  own: Record<string, number>;
}
export const readCertainty = async (db: Db): Promise<Certainty> =>
  (await readSetting<Certainty>(db, 'certainty')) ?? { usual: PRESETS.balanced, own: {} };

/** What runs in a rhythm, and by which clock. */
export const readSchedule = async (db: Db): Promise<ScheduleSettings> =>
  (await readSetting<ScheduleSettings>(db, 'schedule')) ?? { zone: 'UTC', full: null, incremental: null };

/** Whether the text in pictures is read. */
export const readPictures = async (db: Db): Promise<boolean> =>
  (await readSetting<boolean>(db, 'pictures')) ?? false;

/** From where on a plan wants a second steward. */
export const readLimits = async (db: Db): Promise<ApprovalLimits> =>
  (await readSetting<ApprovalLimits>(db, 'approval-limits')) ?? DEFAULT_LIMITS;

/** Looser limits that wait for a second steward. */
export const readProposedLimits = async (
  db: Db,
): Promise<{ limits: ApprovalLimits; by: string; at: string } | null> =>
  (await readSetting<{ limits: ApprovalLimits; by: string; at: string } | null>(
    db,
    'approval-limits-proposed',
  )) ?? null;

export const DEFAULT_SIGN_IN: SignInSettings = { idleMinutes: 30, longestHours: 12, secondFactor: [] };
/** How one signs in. */
export const readSignIn = async (db: Db): Promise<SignInSettings> => ({
  ...DEFAULT_SIGN_IN,
  ...(await readSetting<Partial<SignInSettings>>(db, 'sign-in')),
});
