/**
 * Plans: changes with their preview, applied one by one, verified at the workspace, and undone.
 *
 * Every step of a change is recorded before the next is taken, and each change has one key for
 * applying and one for undoing. After a crash a change that was being sent is sent again with its
 * key, which the workspace applies once at most; then it is read back like any other.
 */
import { randomUUID } from 'node:crypto';
import { isDeepStrictEqual } from 'node:util';
import type { GrantRow, LinkRow } from '../core/model.ts';
import { connectWorkspace } from '../connectors/http-connectors.ts';
import { ConnectorError, type WorkspaceConnector } from '../connectors/port.ts';
import type { Db } from '../store/db.ts';
import { observeOne, PRESENT, storableJson } from '../store/observed.ts';
import type { ChangeState, PlanDetail, PlanRow, PlanState, Preview } from './dto.ts';
import type { Engine } from './engine/engine.ts';
import type { ObjectKey } from './engine/engine.thread.ts';
import { AppError } from './errors.ts';
import type { Events } from './events.ts';
import type { Ledger } from './ledger.ts';
import type { Surveys } from './survey/surveys.ts';

type Row = GrantRow | LinkRow;
interface Change {
  id: number;
  plan: number;
  seq: number;
  kind: 'grant' | 'link';
  source: string;
  object: string;
  before: Row;
  state: ChangeState;
  apply_key: string;
  undo_key: string;
  note: string | null;
}

const TROUBLED = [
  'unexpected',
  'failed',
  'sending',
  'sent',
  'undo-unexpected',
  'undo-failed',
  'undo-sending',
  'undo-sent',
];
const DONE: readonly ChangeState[] = ['verified', 'already-gone'];

/** What differs between what the survey saw and what is there, in words; when a link was last used does not count. */
export function whatDiffers(before: Row, now: Row): string[] {
  const strip = (r: Row) =>
    JSON.parse(JSON.stringify({ ...r, lastUsedAt: undefined })) as Record<string, unknown>;
  const a = strip(before);
  const b = strip(now);
  return [...new Set([...Object.keys(a), ...Object.keys(b)])]
    .filter((k) => !isDeepStrictEqual(a[k], b[k]))
    .sort();
}

export class Plans {
  private queue: Promise<unknown> = Promise.resolve();

  constructor(
    private readonly db: Db,
    private readonly ledger: Ledger,
    private readonly engine: Engine,
    private readonly surveys: Surveys,
    private readonly events: Events,
    private readonly clock: () => Date,
  ) {}

  // --- tray

  async tray(account: number): Promise<{ objects: ObjectKey[]; preview: Preview | undefined }> {
    const objects = await this.db.query<ObjectKey>(
      'select kind, source, object as id from tray where account = $1 order by seq',
      [account],
    );
    return { objects, preview: objects.length ? await this.engine.ask.preview(objects) : undefined };
  }

  async pickUp(account: number, objects: ObjectKey[]): Promise<void> {
    const known = await this.engine.ask.describeEntries(objects);
    if (known.length < objects.length)
      throw new AppError(
        'not-there',
        404,
        'Some of these grants and links are not in the survey in force. Survey again, then pick them up.',
      );
    for (const o of objects)
      await this.db.query(
        'insert into tray (account, kind, source, object) values ($1, $2, $3, $4) on conflict do nothing',
        [account, o.kind, o.source, o.id],
      );
  }

  async putDown(account: number, objects: ObjectKey[]): Promise<void> {
    for (const o of objects)
      await this.db.query(
        'delete from tray where account = $1 and kind = $2 and source = $3 and object = $4',
        [account, o.kind, o.source, o.id],
      );
  }

  // --- plans

  /** Turns the tray into a draft, with its preview on the survey in force. */
  async make(account: { id: number; address: string }, name: string, reason: string): Promise<number> {
    const { objects, preview } = await this.tray(account.id);
    if (!preview || preview.changes.length === 0)
      throw new AppError(
        'tray-empty',
        409,
        'There is nothing in the tray. Pick up changes from a finding first.',
      );
    return this.db.transaction(async (tx) => {
      const [plan] = await tx.query<{ id: number }>(
        "insert into plan (name, reason, state, survey, made_by, made_at, preview) values ($1, $2, 'draft', $3, $4, $5, $6::jsonb) returning id",
        [name, reason, preview.survey, account.address, this.clock(), storableJson(preview)],
      );
      for (const [seq, c] of preview.changes.entries()) {
        const [seen] = await tx.query<{ doc: Row }>(
          `select doc from observed o where kind = $1 and source = $2 and id = $3 and ${PRESENT}`,
          [c.kind, c.source, c.id],
        );
        if (!seen)
          throw new AppError(
            'not-there',
            409,
            `The ${c.kind} to ${c.to} is not there any more. Survey again.`,
          );
        await tx.query(
          "insert into plan_change (plan, seq, kind, source, object, before, state, apply_key, undo_key) values ($1, $2, $3, $4, $5, $6::jsonb, 'planned', $7, $8)",
          [plan!.id, seq, c.kind, c.source, c.id, storableJson(seen.doc), randomUUID(), randomUUID()],
        );
      }
      for (const o of objects)
        await tx.query('delete from tray where account = $1 and kind = $2 and source = $3 and object = $4', [
          account.id,
          o.kind,
          o.source,
          o.id,
        ]);
      await this.ledger.add(
        {
          who: account.address,
          what: 'plan.made',
          subject: `plan ${plan!.id}`,
          after: {
            name,
            reason,
            survey: preview.survey,
            changes: preview.changes.map((c) => `${c.kind} ${c.source}/${c.id}`),
            losing: { members: preview.members, guests: preview.guests, outsiders: preview.outsiders },
          },
        },
        tx,
      );
      return plan!.id;
    });
  }

  private async move(
    plan: number,
    from: PlanState[],
    to: PlanState,
    by: string,
    refusal: string,
  ): Promise<void> {
    await this.db.transaction(async (tx) => {
      const moved = await tx.query(
        "update plan set state = $3, applied_at = case when $3 = 'applying' then $4 else applied_at end where id = $1 and state = any($2) returning id",
        [plan, from, to, this.clock()],
      );
      if (moved.length === 0) throw new AppError('plan-state', 409, refusal);
      await this.ledger.add(
        {
          who: by,
          what: `plan.${to}`,
          subject: `plan ${plan}`,
          before: { state: from },
          after: { state: to },
        },
        tx,
      );
    });
    this.events.emit({ type: 'plan', plan });
  }

  /** Begins applying a draft. Refused where the survey has moved on since its preview was made. */
  async apply(plan: number, by: string): Promise<void> {
    const [row] = await this.db.query<{ survey: number; newest: number }>(
      "select p.survey, (select max(id) from survey where state = 'done') as newest from plan p where id = $1",
      [plan],
    );
    if (row && row.newest !== row.survey)
      throw new AppError(
        'preview-old',
        409,
        'There is a newer survey than the one this preview was made on. Look at the new preview, then apply it.',
      );
    await this.move(
      plan,
      ['draft'],
      'applying',
      by,
      'Only a draft can be applied, and this plan is one no more.',
    );
    this.run(plan, by);
  }

  /** Makes a draft's preview anew on the survey in force. */
  async renew(plan: number, by: string): Promise<void> {
    const changes = await this.changes(plan);
    const preview = await this.engine.ask.preview(
      changes.map((c) => ({ kind: c.kind, source: c.source, id: c.object })),
    );
    if (!preview) throw new AppError('no-survey', 409, 'There is no survey yet.');
    await this.db.transaction(async (tx) => {
      const moved = await tx.query(
        "update plan set preview = $2::jsonb, survey = $3 where id = $1 and state = 'draft' returning id",
        [plan, storableJson(preview), preview.survey],
      );
      if (moved.length === 0)
        throw new AppError('plan-state', 409, 'Only a draft’s preview can be made anew.');
      for (const c of changes)
        await tx.query(
          `update plan_change c set before = o.doc from observed o where c.id = $1 and o.kind = c.kind and o.source = c.source and o.id = c.object and ${PRESENT}`,
          [c.id],
        );
      await this.ledger.add(
        { who: by, what: 'plan.preview-renewed', subject: `plan ${plan}`, after: { survey: preview.survey } },
        tx,
      );
    });
    this.events.emit({ type: 'plan', plan });
  }

  async discard(plan: number, by: string): Promise<void> {
    await this.move(plan, ['draft'], 'discarded', by, 'Only a draft can be discarded.');
  }

  /** Puts back everything that the plan took away. */
  async undo(plan: number, by: string): Promise<void> {
    await this.move(plan, ['applied'], 'undoing', by, 'Only an applied plan can be undone.');
    this.run(plan, by);
  }

  /** Tries again what failed or was left unknown, in the direction it was going. */
  async retry(plan: number, by: string): Promise<void> {
    const [row] = await this.db.query<{ state: PlanState }>('select state from plan where id = $1', [plan]);
    const undone = row?.state === 'undone';
    await this.move(
      plan,
      ['applied', 'undone'],
      undone ? 'undoing' : 'applying',
      by,
      'This plan has nothing to try again.',
    );
    await this.db.query(
      "update plan_change set state = case state when 'failed' then 'planned' when 'undo-failed' then 'verified' else state end where plan = $1",
      [plan],
    );
    this.run(plan, by);
  }

  /** Takes up plans that a crash left in the middle. */
  async resume(): Promise<void> {
    const rows = await this.db.query<{ id: number; state: string }>(
      "select id, state from plan where state in ('applying', 'undoing') order by id",
    );
    for (const { id } of rows) {
      await this.ledger.add({ who: 'system', what: 'plan.resumed', subject: `plan ${id}` });
      this.run(id, 'system');
    }
  }

  /** Plans are carried out one after another, so that two never work on one object at once. */
  private run(plan: number, by: string): void {
    this.queue = this.queue
      .then(() => this.carryOut(plan, by))
      .catch((e: unknown) => console.error(`plan ${plan} stopped`, e));
  }

  /** Resolves when every plan begun so far has come to its end. */
  async idle(): Promise<void> {
    await this.queue;
  }

  private changes(plan: number): Promise<Change[]> {
    return this.db.query<Change>('select * from plan_change where plan = $1 order by seq', [plan]);
  }

  private async carryOut(plan: number, by: string): Promise<void> {
    const [row] = await this.db.query<{ state: PlanState }>('select state from plan where id = $1', [plan]);
    const undoing = row?.state === 'undoing';
    if (!undoing && row?.state !== 'applying') return;
    const connectors = new Map<string, WorkspaceConnector>();
    for (const s of await this.surveys.sourcesWithTokens())
      if (s.kind !== 'directory' && s.kind !== 'extract')
        connectors.set(s.id, connectWorkspace(s.kind, { url: s.url, token: s.token }));
    const changes = await this.changes(plan);
    for (const change of undoing ? changes.reverse() : changes) {
      const connector = connectors.get(change.source);
      try {
        if (!connector)
          await this.set(
            change,
            undoing ? 'undo-failed' : 'failed',
            by,
            'Its workspace is not among the sources, or is an extract, which cannot be changed.',
          );
        else if (undoing) await this.undoOne(change, connector, by);
        else await this.applyOne(change, connector, by);
      } catch (e) {
        if (!(e instanceof ConnectorError)) throw e;
        // whether it took effect is not known: it stays as sent, and says so; retrying finds out
        const unknown =
          change.state === 'sending' ||
          change.state === 'sent' ||
          change.state === 'undo-sending' ||
          change.state === 'undo-sent';
        if (unknown)
          await this.set(
            change,
            change.state,
            by,
            `${e.message} Whether it took effect is not known yet: try again.`,
          );
        else await this.set(change, undoing ? 'undo-failed' : 'failed', by, e.message);
      }
    }
    await this.readBack(plan, changes, undoing, by);
  }

  /** Records how far a change has come, on the ledger too, before anything else is done. */
  private async set(
    change: Change,
    state: ChangeState,
    by: string,
    note: string | null = null,
  ): Promise<void> {
    await this.db.transaction(async (tx) => {
      await tx.query('update plan_change set state = $2, note = $3, changed_at = $4 where id = $1', [
        change.id,
        state,
        note,
        this.clock(),
      ]);
      await this.ledger.add(
        {
          who: by,
          what: `plan.change.${state}`,
          subject: `${change.kind} ${change.source}/${change.object}`,
          before: { state: change.state, ...(state === 'sending' && { object: change.before }) },
          after: { state, plan: change.plan, ...(note && { note }) },
        },
        tx,
      );
    });
    change.state = state;
    this.events.emit({ type: 'plan', plan: change.plan });
  }

  private async applyOne(change: Change, connector: WorkspaceConnector, by: string): Promise<void> {
    const ref = { kind: change.kind, id: change.object };
    if (change.state === 'planned') {
      const now = await connector.read(ref);
      if (!now)
        return this.set(
          change,
          'already-gone',
          by,
          'It was gone before this plan reached it; undoing will not bring it back.',
        );
      const differs = whatDiffers(change.before, now);
      if (differs.length)
        return this.set(
          change,
          'unexpected',
          by,
          `It has been changed since the survey (${differs.join(', ')}), so it was left as it is. Survey again and plan anew.`,
        );
      await this.set(change, 'sending', by);
    } else if (change.state !== 'sending' && change.state !== 'sent') return;
    const outcome = await connector.withdraw(ref, change.apply_key);
    if (outcome === 'absent')
      return this.set(
        change,
        'already-gone',
        by,
        'Somebody else had taken it away; undoing will not bring it back.',
      );
    if (change.state === 'sending') await this.set(change, 'sent', by);
    const after = await connector.read(ref);
    await (after
      ? this.set(change, 'unexpected', by, 'The workspace said it was done, and it is still there.')
      : this.set(change, 'verified', by));
  }

  private async undoOne(change: Change, connector: WorkspaceConnector, by: string): Promise<void> {
    const ref = { kind: change.kind, id: change.object };
    if (change.state === 'verified') {
      const now = await connector.read(ref);
      if (now) {
        const differs = whatDiffers(change.before, now);
        return differs.length
          ? this.set(
              change,
              'undo-unexpected',
              by,
              `Somebody has put it back differently (${differs.join(', ')}), so it was left as it is.`,
            )
          : this.set(change, 'undone', by, 'It was there again already.');
      }
      await this.set(change, 'undo-sending', by);
    } else if (change.state !== 'undo-sending' && change.state !== 'undo-sent') return;
    await connector.restore(ref, change.undo_key);
    if (change.state === 'undo-sending') await this.set(change, 'undo-sent', by);
    const after = await connector.read(ref);
    const differs = after ? whatDiffers(change.before, after) : [];
    if (!after)
      return this.set(
        change,
        'undo-unexpected',
        by,
        'The workspace said it was put back, and it is not there.',
      );
    await (differs.length
      ? this.set(
          change,
          'undo-unexpected',
          by,
          `It is there again, but not as it was (${differs.join(', ')}).`,
        )
      : this.set(change, 'undone', by));
  }

  /** Makes what the plan proved at the workspace the present, as a survey of those objects alone; then the plan is at its end. */
  private async readBack(plan: number, changes: Change[], undoing: boolean, by: string): Promise<void> {
    const proven = changes.filter((c) => (undoing ? c.state === 'undone' : DONE.includes(c.state)));
    const now = this.clock();
    if (proven.length)
      await this.surveys.readBack(plan, by, async (tx, survey) => {
        for (const c of proven)
          await observeOne(tx, survey, {
            kind: c.kind,
            source: c.source,
            id: c.object,
            doc: undoing ? c.before : null,
          });
      });
    else await this.surveys.takeOver();
    await this.db.transaction(async (tx) => {
      const state = undoing ? 'undone' : 'applied';
      await tx.query('update plan set state = $2, finished_at = $3 where id = $1', [plan, state, now]);
      await this.ledger.add(
        {
          who: by,
          what: `plan.${state}`,
          subject: `plan ${plan}`,
          after: { changes: changes.length, proven: proven.length },
        },
        tx,
      );
    });
    this.events.emit({ type: 'plan', plan });
  }

  async list(): Promise<PlanRow[]> {
    const rows = await this.db.query<PlanSql>(`${PLAN_SQL} order by p.id desc limit 200`, [TROUBLED]);
    return rows.map(planRow);
  }

  async one(plan: number): Promise<PlanDetail | undefined> {
    const [row] = await this.db.query<PlanSql & { preview: Preview }>(
      `${PLAN_SQL.replace('select p.id', 'select p.preview, p.id')} where p.id = $2`,
      [TROUBLED, plan],
    );
    if (!row) return undefined;
    const changes = await this.db.query<Change & { changed_at: Date | null }>(
      'select * from plan_change where plan = $1 order by seq',
      [plan],
    );
    return {
      ...planRow(row),
      preview: row.preview,
      list: changes.map((c) => ({
        id: c.id,
        seq: c.seq,
        state: c.state,
        note: c.note,
        changedAt: c.changed_at?.toISOString() ?? null,
        entry: row.preview.changes.find(
          (e) => e.kind === c.kind && e.source === c.source && e.id === c.object,
        ) ?? {
          kind: c.kind,
          source: c.source,
          id: c.object,
          role: c.before.role,
          to: c.object,
          on: { kind: 'file', id: '', name: '' },
        },
      })),
    };
  }
}

interface PlanSql {
  id: number;
  name: string;
  reason: string;
  state: PlanState;
  survey: number;
  made_by: string;
  made_at: Date;
  applied_at: Date | null;
  finished_at: Date | null;
  changes: number;
  verified: number;
  troubled: number;
}
const PLAN_SQL = `select p.id, p.name, p.reason, p.state, p.survey, p.made_by, p.made_at, p.applied_at, p.finished_at,
  (select count(*)::int from plan_change c where c.plan = p.id) as changes,
  (select count(*)::int from plan_change c where c.plan = p.id and c.state in ('verified', 'already-gone', 'undone')) as verified,
  (select count(*)::int from plan_change c where c.plan = p.id and c.state = any($1)) as troubled
  from plan p`;

const planRow = ({ made_by, made_at, applied_at, finished_at, ...r }: PlanSql): PlanRow => ({
  id: r.id,
  name: r.name,
  reason: r.reason,
  state: r.state,
  survey: r.survey,
  changes: r.changes,
  verified: r.verified,
  troubled: r.troubled,
  madeBy: made_by,
  madeAt: made_at.toISOString(),
  appliedAt: applied_at?.toISOString() ?? null,
  finishedAt: finished_at?.toISOString() ?? null,
});
