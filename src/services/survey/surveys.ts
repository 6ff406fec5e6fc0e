/** Surveys: starting, watching and cancelling them, and what follows a good one. */
import { startThread } from '../../jobs/rpc.ts';
import type { Worker } from 'node:worker_threads';
import type { Db, OpenDb } from '../../store/db.ts';
import { checkAddress } from '../../connectors/address.ts';
import { connectWorkspace } from '../../connectors/http-connectors.ts';
import type { WorkspaceConnector } from '../../connectors/port.ts';
import type { ItemRow } from '../../core/model.ts';
import { UNFINISHED } from '../../core/remedy/states.ts';
import { takeBackDirect } from '../../store/intake.ts';
import { stepIs } from '../../store/jobs.ts';
import { PRESENT, unmerge } from '../../store/observed.ts';
import { waitingStep, type JobStep } from '../../dto/jobs.ts';
import type { SourceRow, SurveyRow } from '../../dto/surveys.ts';
import type { Engine } from '../../engine/engine.ts';
import { AppError } from '../errors.ts';
import type { Job, Jobs } from '../jobs.ts';
import type { Ledger } from '../ledger.ts';
import type { Present } from '../present.ts';
import { readRecogniser } from '../recogniser.ts';
import type { Secrets } from '../secrets.ts';
import { FULL_STEPS, INCREMENTAL_STEPS } from './steps.ts';
import type { SurveyOrder, SurveySource } from './order.ts';
import type { SurveyFunctions, SurveyResult } from './survey.thread.ts';

export interface SourceInput {
  id: string;
  kind: SurveySource['kind'];
  name: string;
  url: string;
  token: string;
}
type SourceSql = SourceInput & { paused: boolean };

const iso = (d: Date | null): string | null => d?.toISOString() ?? null;

export class Surveys {
  /** Called when a source is no more. */
  onRemoved: (source: string) => void = () => undefined;
  private worker: Worker | undefined;
  private starting = false;
  constructor(
    private readonly db: OpenDb,
    private readonly ledger: Ledger,
    private readonly engine: Engine,
    private readonly present: Present,
    private readonly secrets: Secrets,
    private readonly jobs: Jobs,
    private readonly clock: () => Date,
    /** Sources may be on this machine and its own network, and without TLS. */
    readonly localSources = process.env.GATE_LANTERN_LOCAL_SOURCES === '1',
  ) {
    jobs.declare('survey', {
      run: (job) => this.run(job),
      broken: async (tx, survey) => {
        await this.endIn(tx, survey, 'system', {
          state: 'interrupted',
          reason: 'The application ended while it ran.',
        });
      },
    });
  }

  /** Adds a source, or sets the address and token of one that is known. */
  async putSource(source: SourceInput, by: string): Promise<void> {
    const [known] = await this.db.query<SourceInput>('select * from source where id = $1', [source.id]);
    if (
      known &&
      known.url === source.url &&
      known.name === source.name &&
      this.secrets.open(known.token) === source.token
    )
      return;
    await this.db.transaction(async (tx) => {
      await tx.query(
        `insert into source (id, kind, name, url, token, created_at) values ($1, $2, $3, $4, $5, $6)
         on conflict (id) do update set name = excluded.name, url = excluded.url, token = excluded.token`,
        [source.id, source.kind, source.name, source.url, this.secrets.seal(source.token), this.clock()],
      );
      await this.ledger.add(
        {
          who: by,
          what: known ? 'source.changed' : 'source.added',
          subject: source.id,
          before: known && { name: known.name, url: known.url },
          after: { name: source.name, url: source.url },
        },
        tx,
      );
    });
  }

  /** Adds a source as a steward gives it. */
  async addSource(source: SourceInput, by: string): Promise<void> {
    if (await this.known(source.id))
      throw new AppError('source-there', 409, `There is a source “${source.id}” already. Edit that one.`);
    checkAddress(source.url, this.localSources);
    await this.putSource(source, by);
  }

  private async known(id: string): Promise<SourceSql | undefined> {
    return (await this.db.query<SourceSql>('select * from source where id = $1', [id]))[0];
  }

  /** Sets a source's name, address or token, or pauses it; what is left out stays. */
  async editSource(
    id: string,
    edit: {
      name?: string | undefined;
      url?: string | undefined;
      token?: string | undefined;
      paused?: boolean | undefined;
    },
    by: string,
  ): Promise<void> {
    const known = await this.known(id);
    if (!known) throw new AppError('no-source', 404, 'There is no such source.');
    if (edit.url && edit.url !== known.url) {
      if (known.kind === 'extract')
        throw new AppError('an-extract', 409, 'An extract has no address: import another one.');
      checkAddress(edit.url, this.localSources);
      // a token is for where it was given for
      if (!edit.token) throw new AppError('token-wanted', 422, 'A new address needs its access token too.');
    }
    const next = {
      name: edit.name ?? known.name,
      url: edit.url || known.url,
      token: edit.token ? this.secrets.seal(edit.token) : known.token,
      paused: edit.paused ?? known.paused,
    };
    await this.db.transaction(async (tx) => {
      await tx.query('update source set name = $2, url = $3, token = $4, paused = $5 where id = $1', [
        id,
        next.name,
        next.url,
        next.token,
        next.paused,
      ]);
      // another place knows nothing of this one's changes
      if (next.url !== known.url) await tx.query('delete from change_token where source = $1', [id]);
      const told = (s: Omit<typeof next, 'token'>) => ({ name: s.name, url: s.url, paused: s.paused });
      await this.ledger.add(
        {
          who: by,
          what:
            next.paused === known.paused
              ? 'source.changed'
              : next.paused
                ? 'source.paused'
                : 'source.resumed',
          subject: id,
          before: told(known),
          after: { ...told(next), ...(edit.token && { token: 'renewed' }) },
        },
        tx,
      );
    });
  }

  /** Removes a source. What was known of it stays in the surveys that saw it, and ends with the next one. */
  async removeSource(id: string, by: string): Promise<void> {
    const known = await this.known(id);
    if (!known) throw new AppError('no-source', 404, 'There is no such source.');
    if (this.jobs.current('survey'))
      throw new AppError('survey-running', 409, 'A survey is running. Cancel it, or wait for it, first.');
    const [busy] = await this.db.query<{ name: string }>(
      'select p.name from plan p where p.state = any($1) and exists (select 1 from plan_change c where c.plan = p.id and c.source = $2) limit 1',
      [[...UNFINISHED], id],
    );
    if (busy)
      throw new AppError(
        'plan-waits',
        409,
        `The plan “${busy.name}” changes something there. Apply or discard it first.`,
      );
    await this.db.transaction(async (tx) => {
      await tx.query('delete from source where id = $1', [id]);
      await tx.query('delete from change_token where source = $1', [id]);
      await tx.query('delete from tray where source = $1', [id]);
      await tx.query('delete from decision_token where source = $1', [id]);
      await tx.query('delete from event_source where source = $1', [id]);
      await this.ledger.add(
        { who: by, what: 'source.removed', subject: id, before: { name: known.name, url: known.url } },
        tx,
      );
    });
    this.onRemoved(id);
  }

  /** Every source with its token opened; never leaves the services. */
  async sourcesWithTokens(): Promise<(SurveySource & { name: string; paused: boolean })[]> {
    const rows = await this.db.query<SourceSql>(
      'select id, kind, name, url, token, paused from source order by kind, id',
    );
    return rows.map((r) => ({ ...r, token: this.secrets.open(r.token) }));
  }

  /** The sources that are workspaces, where something can happen. */
  async live(): Promise<SourceRow[]> {
    return (await this.sources()).filter((s) => s.kind !== 'directory' && s.kind !== 'extract');
  }

  /** The workspaces that can be asked, each by its connector. What does not answer is asked soon again: it is tried twice. */
  async workspaces(signal: AbortSignal): Promise<{ id: string; connector: WorkspaceConnector }[]> {
    return (await this.toRead()).flatMap(({ id, kind, url, token }) =>
      kind === 'directory' || kind === 'extract'
        ? []
        : {
            id,
            connector: connectWorkspace(kind, { url, token, signal, tries: 2, localToo: this.localSources }),
          },
    );
  }

  /** Puts a message into a channel, `source/id`, once for each key. Throws where it has none. */
  async post(channel: string, text: string, key: string): Promise<void> {
    const at = channel.indexOf('/');
    const from = (await this.sourcesWithTokens()).find((s) => s.id === channel.slice(0, at));
    if (!from || from.kind === 'directory' || from.kind === 'extract')
      throw new AppError('no-channel', 404, 'The workspace of this channel is not there any more.');
    const { kind, url, token } = from;
    const to = connectWorkspace(kind, { url, token, tries: 2, localToo: this.localSources });
    if (!to.post) throw new AppError('no-channel', 422, 'This workspace takes no messages.');
    await to.post(channel.slice(at + 1), text, key);
  }

  /** The sources that a survey reads. */
  private async toRead(): ReturnType<Surveys['sourcesWithTokens']> {
    return (await this.sourcesWithTokens()).filter((s) => !s.paused);
  }

  async sources(): Promise<SourceRow[]> {
    const rows = await this.db.query<Omit<SourceRow, 'counts' | 'trouble'>>(
      'select id, kind, name, url, paused from source order by kind, name',
    );
    const troubles = await this.db.query<{ object: string; reason: string }>(
      `select object, reason from survey_failure f where survey = (select max(id) from survey where kind <> 'read-back' and state <> 'running')
       and object in (select id from source)`,
    );
    return rows.map((r) => ({
      ...r,
      // where an upload lies on this machine is nobody’s business
      url: r.kind === 'extract' ? '' : r.url,
      trouble: troubles.find((t) => t.object === r.id)?.reason ?? null,
      counts: Object.fromEntries(
        this.present.counts.filter((c) => c.source === r.id).map((c) => [c.kind, c.n]),
      ),
    }));
  }

  /** Directories in which uploads lie that are sources. */
  async uploads(): Promise<string[]> {
    const rows = await this.db.query<{ url: string }>("select url from source where kind = 'extract'");
    return rows.map((r) => r.url);
  }

  /**
   * Makes what was read back of a few objects the present, as a survey of those alone: `observe` writes
   * them under its number.
   */
  async readBack(
    plan: number | null,
    by: string,
    observe: (tx: Db, survey: number) => Promise<void>,
  ): Promise<void> {
    const now = this.clock();
    for (;;) {
      const made = await this.db.transaction(async (tx) => {
        // numbers of surveys rise as they come into force, so a survey that is being taken over goes first
        const [busy] = await tx.query(
          `select 1 from job j join survey s on s.id = j.subject where j.kind = 'survey' and s.state = 'running' and ${stepIs('j', 'taking over')}`,
        );
        if (busy) return false;
        const [survey] = await tx.query<{ id: number }>(
          "insert into survey (id, kind, state, started_by, started_at, finished_at, taken_at, plan) overriding system value values ((select coalesce(max(id), 0) + 1 from survey), 'read-back', 'done', $1, $2, $2, $2, $3) returning id",
          [by, now, plan],
        );
        await observe(tx, survey!.id);
        return true;
      });
      if (made) break;
      await Promise.all([this.jobs.wait('survey'), new Promise((r) => setTimeout(r, 200))]);
    }
    await this.present.toNewest();
  }

  /** A file as the last survey saw it, and the connector to its workspace. */
  async fileOf(source: string, item: string): Promise<{ connector: WorkspaceConnector; row: ItemRow }> {
    const [row] = await this.db.query<{ doc: ItemRow }>(
      `select doc from observed o where kind = 'item' and source = $1 and id = $2 and ${PRESENT}`,
      [source, item],
    );
    const from = (await this.sourcesWithTokens()).find((s) => s.id === source);
    if (!row || row.doc.kind !== 'file' || !from)
      throw new AppError('no-such-file', 404, 'The last survey did not see this file.');
    if (from.kind === 'directory' || from.kind === 'extract')
      throw new AppError('not-live', 409, 'It came with an extract: there is no workspace to read it from.');
    const { kind, url, token } = from;
    return {
      row: row.doc,
      connector: connectWorkspace(kind, { url, token, localToo: this.localSources }),
    };
  }

  /**
   * Starts a survey of every source, or of what changed in it since the last one. Resolves when it has
   * begun, with its number.
   */
  async start(by: string, kind: 'full' | 'incremental' = 'full'): Promise<number> {
    if (this.jobs.current('survey') || this.starting)
      throw new AppError(
        'survey-running',
        409,
        'A survey is running already. Wait for it, or cancel it first.',
      );
    this.starting = true;
    try {
      const sources = await this.toRead();
      const changeTokens = await this.changeTokens();
      if (kind === 'incremental' && !sources.some((s) => changeTokens[s.id]))
        throw new AppError(
          'no-change-token',
          409,
          'No workspace has been surveyed in full yet. Survey everything first.',
        );
      if (!sources.some((s) => s.kind !== 'directory'))
        throw new AppError('no-sources', 409, 'There is no workspace to survey yet. Add one first.');
      const id = await this.db.transaction(async (tx) => {
        const [row] = await tx.query<{ id: number }>(
          "insert into survey (id, kind, state, started_by, started_at) overriding system value values ((select coalesce(max(id), 0) + 1 from survey), $3, 'running', $1, $2) returning id",
          [by, this.clock(), kind],
        );
        await this.ledger.add(
          {
            who: by,
            what: 'survey.started',
            subject: `survey ${row!.id}`,
            after: { kind, sources: sources.map((s) => s.id) },
          },
          tx,
        );
        await this.jobs.add(tx, 'survey', row!.id, by);
        return row!.id;
      });
      await this.jobs.look();
      return id;
    } finally {
      this.starting = false;
    }
  }

  /** Surveys in a thread of its own, to its end. */
  private async run(job: Job): Promise<SurveyResult> {
    const [survey] = await this.db.query<{ kind: 'full' | 'incremental' }>(
      'select kind from survey where id = $1',
      [job.subject],
    );
    const sources = await this.toRead();
    const order: SurveyOrder = {
      survey: job.subject,
      job: job.id,
      kind: survey!.kind,
      by: job.by,
      sources: sources.map(({ id, kind, url, token }) => ({ id, kind, url, token })),
      localSources: this.localSources,
      changeTokens: await this.changeTokens(),
      hashKey: (await this.secrets.valuesKey(this.db)).toString('base64'),
      recogniser: await readRecogniser(this.db),
      first: (await this.engine.ask.bright(undefined)) ?? {},
      clockOffset: this.clock().getTime() - Date.now(),
    };
    const dbPort = await this.db.port();
    const { remote, worker } = startThread<SurveyFunctions>(
      new URL('./survey.thread.ts', import.meta.url),
      { order, dbPort },
      [dbPort],
    );
    this.worker = worker;
    const ended = new Promise<never>((_, reject) => {
      worker.once('error', reject);
      worker.once('exit', () => reject(new Error('The survey’s thread ended.')));
    });
    ended.catch(() => undefined);
    let steps: JobStep[] = [];
    worker.on('message', (m: { steps: JobStep[] }) => job.tell((steps = m.steps)));
    const cancel = (): void => void remote.cancel();
    if (job.signal.aborted) cancel();
    else job.signal.addEventListener('abort', cancel);
    try {
      const result = await Promise.race([remote.run(), ended]).catch((e: unknown): SurveyResult => {
        // closed: the next start says that it was interrupted
        if (!this.worker) throw e;
        return {
          state: 'failed',
          reason: `It stopped with an error: ${e instanceof Error ? e.message : String(e)}`,
        };
      });
      if (result.state === 'done') await this.present.toNewest();
      else {
        await this.db.transaction((tx) => this.endIn(tx, job.subject, job.by, result, steps));
        await this.tidy();
      }
      return result;
    } finally {
      this.worker = undefined;
      void worker.terminate();
    }
  }

  /** Ends a survey that did not come to its end: what was in force still is. */
  private async endIn(
    tx: Db,
    survey: number,
    by: string,
    { state, reason }: { state: 'failed' | 'cancelled' | 'interrupted'; reason: string },
    steps: readonly JobStep[] = [],
  ): Promise<void> {
    const ended = await tx.query(
      "update survey set state = $2, finished_at = $3, reason = $4 where id = $1 and state = 'running' returning id",
      [survey, state, this.clock(), reason],
    );
    // it had come to its end, and nothing else had been done of it
    if (!ended.length) return;
    await unmerge(tx, survey);
    await this.ledger.add(
      {
        who: by,
        what: `survey.${state}`,
        subject: `survey ${survey}`,
        after: {
          reason,
          steps: steps.map((s) => ({ name: s.name, state: s.state, done: s.done, failed: s.failed })),
        },
      },
      tx,
    );
  }

  /** Takes away what surveys left that did not come to their end; nobody sees it. */
  tidy(): Promise<void> {
    return takeBackDirect(this.db);
  }

  private async changeTokens(): Promise<Record<string, string>> {
    const tokens = await this.db.query<{ source: string; token: string }>(
      'select source, token from change_token',
    );
    return Object.fromEntries(tokens.map((t) => [t.source, t.token]));
  }

  async cancel(id: number, by: string): Promise<void> {
    if (this.current() !== id) throw new AppError('not-running', 409, 'This survey is no longer running.');
    await this.ledger.add({ who: by, what: 'survey.cancel-asked', subject: `survey ${id}` });
    this.jobs.cancel('survey', id);
  }

  /** The running survey, or undefined. */
  current(): number | undefined {
    return this.jobs.current('survey')?.subject;
  }

  async list(limit = 30): Promise<SurveyRow[]> {
    const rows = await this.db.query<{
      id: number;
      kind: SurveyRow['kind'];
      state: SurveyRow['state'];
      started_by: string;
      started_at: Date;
      finished_at: Date | null;
      taken_at: Date | null;
      reason: string | null;
      plan: number | null;
      failures: number;
      added: number;
      altered: number;
      removed: number;
    }>(
      'select s.*, (select count(*)::int from survey_failure f where f.survey = s.id) as failures from survey s order by id desc limit $1',
      [limit],
    );
    const kept = await this.jobs.steps(
      'survey',
      rows.map((r) => r.id),
    );
    const running = this.jobs.current('survey');
    const stepsOf = (id: number, kind: SurveyRow['kind']): JobStep[] => {
      if (kind === 'read-back') return [];
      if (running?.subject === id && running.steps.length) return running.steps;
      const known = kept.get(id) ?? [];
      const names = kind === 'full' ? FULL_STEPS : INCREMENTAL_STEPS;
      return names.map((name) => known.find((s) => s.name === name) ?? waitingStep(name));
    };
    return rows.map((r) => ({
      id: r.id,
      kind: r.kind,
      state: r.state,
      startedBy: r.started_by,
      startedAt: r.started_at.toISOString(),
      finishedAt: iso(r.finished_at),
      takenAt: iso(r.taken_at),
      reason: r.reason,
      plan: r.plan,
      failures: r.failures,
      added: r.added,
      altered: r.altered,
      removed: r.removed,
      steps: stepsOf(r.id, r.kind),
    }));
  }

  failures(survey: number): Promise<{ step: string; object: string; reason: string }[]> {
    return this.db.query(
      'select step, object, reason from survey_failure where survey = $1 order by step, object limit 1000',
      [survey],
    );
  }

  async close(): Promise<void> {
    const { worker } = this;
    this.worker = undefined;
    await worker?.terminate();
  }
}
