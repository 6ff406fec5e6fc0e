/**
 * Carrying a plan's changes out, one object at a time, there or back.
 *
 * Every step of a change is recorded before the next is taken, and each change has one key for applying
 * and one for undoing. After a crash a change that was being sent is sent again with its key, which the
 * workspace applies once at most, and only to the version that was seen; then it is read back like any
 * other.
 */
import { ConnectorError, type Changeable, type Seen } from '../../connectors/port.ts';
import { noWayBack } from '../../core/remedy/fields.ts';
import { hasFields, inverse, whatDiffers } from '../../core/remedy/plan.ts';
import { UNKNOWN, type ChangeState } from '../../core/remedy/states.ts';
import type { Db } from '../../store/db.ts';
import { storableJson } from '../../store/observed.ts';
import type { Ledger } from '../ledger.ts';
import type { PlanStep } from './rows.ts';

const SENDING: readonly ChangeState[] = ['sending', 'undo-sending'];

/** What is written of a step beside its state. */
interface Recorded {
  note?: string;
  after?: object | null;
  found?: object | null;
  version?: string | undefined;
}

export class CarryOut {
  constructor(
    private readonly db: Db,
    private readonly ledger: Ledger,
    private readonly clock: () => Date,
    private readonly told: (plan: number) => void,
  ) {}

  /** Takes one change a step or more further, to where it ends or cannot go on. */
  async one(change: PlanStep, at: Changeable | undefined, undoing: boolean, by: string): Promise<void> {
    if (!at)
      return this.set(change, undoing ? 'undo-failed' : 'failed', by, {
        note: 'Its workspace is not among the sources, or is an extract, which cannot be changed.',
      });
    const before = change.state;
    try {
      await (undoing ? this.undo(change, at, by) : this.apply(change, at, by));
    } catch (e) {
      if (!(e instanceof ConnectorError)) throw e;
      const failed = undoing ? 'undo-failed' : 'failed';
      if (!UNKNOWN.includes(change.state)) return this.set(change, failed, by, { note: e.message });
      if (e.code === 'refused' && SENDING.includes(change.state)) {
        // refused at the first try: nothing was done; later, an earlier try may have been
        const tried = before === change.state || e.mayHaveHappened;
        const took = tried ? await this.tookEffect(change, at, undoing).catch(() => undefined) : false;
        if (took === false) return this.set(change, failed, by, { note: e.message });
        if (took) {
          await this.set(change, undoing ? 'undo-sent' : 'sent', by);
          return this.one(change, at, undoing, by);
        }
      }
      // whether it took effect is not known: it stays as sent, and says so; trying again finds out
      await this.set(change, change.state, by, {
        note: `${e.message} Whether it took effect is not known yet: try again.`,
        version: change.version ?? undefined,
      });
    }
  }

  /** Whether the object is as the change wants it. */
  private async tookEffect(change: PlanStep, at: Changeable, undoing: boolean): Promise<boolean> {
    const now = await at.read({ kind: change.kind, id: change.object });
    const fields = change.change && (undoing ? inverse(change.change, change.before) : change.change);
    if (fields) return now !== null && hasFields(now.row, fields);
    return undoing ? now !== null && !whatDiffers(change.kind, change.before, now.row).length : now === null;
  }

  /** Records how far a change has come, on the ledger too, before anything else is done. */
  async set(change: PlanStep, state: ChangeState, by: string, step: Recorded = {}): Promise<void> {
    const next = {
      after: step.after === undefined ? change.after : step.after,
      found: step.found ?? null,
      version: step.version ?? null,
      note: step.note ?? null,
    };
    const json = (v: object | null): string | null => (v ? storableJson(v) : null);
    await this.db.transaction(async (tx) => {
      await tx.query(
        `update plan_change set state = $2, note = $3, changed_at = $4, shown = false, after = $5::jsonb, found = $6::jsonb, version = $7 where id = $1`,
        [change.id, state, next.note, this.clock(), json(next.after), json(next.found), next.version],
      );
      const sending = state === 'sending' || state === 'undo-sending';
      await this.ledger.add(
        {
          who: by,
          what: `plan.change.${state}`,
          subject: `${change.kind} ${change.source}/${change.object}`,
          before: {
            state: change.state,
            ...(sending && { object: state === 'sending' ? change.before : change.after }),
          },
          after: {
            state,
            plan: change.plan,
            ...(sending && { set: change.change }),
            ...(state === 'verified' && { object: next.after }),
            ...(next.note && { note: next.note }),
          },
        },
        tx,
      );
    });
    Object.assign(change, next, { state });
    this.told(change.plan);
  }

  private async apply(change: PlanStep, at: Changeable, by: string): Promise<void> {
    const ref = { kind: change.kind, id: change.object };
    const fields = change.change;
    const differs = (seen: Seen): string[] =>
      whatDiffers(change.kind, change.before, seen.row, fields ?? undefined);
    const elsewise = (seen: Seen): Promise<void> =>
      this.set(change, 'unexpected', by, {
        note: `It has been changed since the survey (${differs(seen).join(', ') || 'while it was being sent'}), so it was left as it is. Survey again and plan anew.`,
        found: seen.row,
      });
    if (change.state === 'planned') {
      const now = await at.read(ref);
      if (!now)
        return fields
          ? this.set(change, 'unexpected', by, {
              note: 'It is not there any more. Survey again and plan anew.',
            })
          : this.set(change, 'already-gone', by, {
              note: 'It was gone before this plan reached it; undoing will not bring it back.',
            });
      if (differs(now).length) {
        if (fields && hasFields(now.row, fields))
          return this.set(change, 'already-gone', by, {
            note: 'It was already so before this plan reached it; undoing will not change it.',
          });
        return elsewise(now);
      }
      await this.set(change, 'sending', by, { version: now.version });
    } else if (change.state !== 'sending' && change.state !== 'sent') return;
    while (change.state === 'sending') {
      const version = change.version ?? undefined;
      const outcome = fields
        ? await at.set(ref, fields, change.apply_key, version)
        : await at.withdraw(ref, change.apply_key, version);
      if (outcome === 'absent')
        return fields
          ? this.set(change, 'unexpected', by, { note: 'It went away while it was being changed.' })
          : this.set(change, 'already-gone', by, {
              note: 'Somebody else had taken it away; undoing will not bring it back.',
            });
      if (outcome === 'done') {
        await this.set(change, 'sent', by);
        break;
      }
      // somebody was quicker; what they changed may be none of this plan's business
      const now = await at.read(ref);
      if (!now)
        return this.set(change, fields ? 'unexpected' : 'already-gone', by, {
          note: 'Somebody else had taken it away.',
        });
      if (differs(now).length) return elsewise(now);
      await this.set(change, 'sending', by, { version: now.version });
    }
    const after = await at.read(ref);
    if (!fields)
      return after
        ? this.set(change, 'unexpected', by, {
            note: 'The workspace said it was done, and it is still there.',
            found: after.row,
          })
        : this.set(change, 'verified', by);
    return after && hasFields(after.row, fields)
      ? this.set(change, 'verified', by, { after: after.row })
      : this.set(change, 'unexpected', by, {
          note: 'The workspace said it was done, and it is not as it was to be.',
          ...(after && { found: after.row }),
        });
  }

  private async undo(change: PlanStep, at: Changeable, by: string): Promise<void> {
    const ref = { kind: change.kind, id: change.object };
    const fields = change.change;
    const back = fields && inverse(fields, change.before);
    if (change.state === 'undo-planned') {
      const never = fields ? undefined : noWayBack(change.kind);
      if (never) return this.set(change, 'undo-failed', by, { note: never });
      const now = await at.read(ref);
      if (fields && !now)
        return this.set(change, 'undo-unexpected', by, {
          note: 'It is not there any more, so nothing was put back.',
        });
      const left = fields ? change.after! : change.before;
      const differs = now ? whatDiffers(change.kind, left, now.row, fields ?? undefined) : [];
      if (now && differs.length)
        return back && hasFields(now.row, back)
          ? this.set(change, 'undone', by, { note: 'Somebody had put it back already.' })
          : this.set(change, 'undo-unexpected', by, {
              note: fields
                ? `It has been changed since the plan (${differs.join(', ')}), so it was left as it is.`
                : `Somebody has put it back differently (${differs.join(', ')}), so it was left as it is.`,
              found: now.row,
            });
      if (now && !fields) return this.set(change, 'undone', by, { note: 'It was there again already.' });
      await this.set(change, 'undo-sending', by, { version: now?.version });
    } else if (change.state !== 'undo-sending' && change.state !== 'undo-sent') return;
    while (change.state === 'undo-sending') {
      const outcome = back
        ? await at.set(ref, back, change.undo_key, change.version ?? undefined)
        : await at.restore(ref, change.before, change.undo_key);
      if (outcome === 'done' || outcome === 'present') {
        await this.set(change, 'undo-sent', by);
        break;
      }
      const now = await at.read(ref);
      if (!now || whatDiffers(change.kind, change.after!, now.row, fields!).length)
        return this.set(change, 'undo-unexpected', by, {
          note: 'It was changed while it was being put back, so it was left as it is.',
          ...(now && { found: now.row }),
        });
      await this.set(change, 'undo-sending', by, { version: now.version });
    }
    const after = await at.read(ref);
    if (!after)
      return this.set(change, 'undo-unexpected', by, {
        note: 'The workspace said it was put back, and it is not there.',
      });
    const right = back
      ? hasFields(after.row, back)
      : !whatDiffers(change.kind, change.before, after.row).length;
    return right
      ? this.set(change, 'undone', by)
      : this.set(change, 'undo-unexpected', by, {
          note: 'It is there again, but not as it was.',
          found: after.row,
        });
  }
}
