/** What one steward proposes and another decides of: it waits in a setting, known by when it was proposed. */
import type { Db } from '../store/db.ts';
import { readSetting, writeSetting } from '../store/settings.ts';
import { AppError } from './errors.ts';

export interface Proposal {
  by: string;
  /** RFC 3339. */
  at: string;
}

/**
 * Takes what waits in a setting, to be put in force or let go. Throws where it is not what was looked at any more, and
 * where whoever proposed it would approve it.
 */
export async function takeProposal<T extends Proposal>(
  tx: Db,
  setting: string,
  decision: { approved: boolean; at: string; by: string },
  words: { gone: string; own: string },
): Promise<T> {
  const proposed = await readSetting<T | null>(tx, setting);
  if (proposed?.at !== decision.at) throw new AppError('no-proposal', 409, words.gone);
  if (decision.approved && proposed.by === decision.by) throw new AppError('same-steward', 403, words.own);
  await writeSetting(tx, setting, null);
  return proposed;
}
