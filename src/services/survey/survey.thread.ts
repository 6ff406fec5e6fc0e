/**
 * One survey: reads every source, scans content as it streams by, stages what it saw, and makes it
 * the present in one transaction at the end. Until then nothing that is in force changes.
 */
import { createHmac } from 'node:crypto';
import { parentPort, workerData, type MessagePort } from 'node:worker_threads';
import { drivesWorkspace, scimDirectory } from '../../connectors/http-connectors.ts';
import { ConnectorError, type Page, type WorkspaceConnector } from '../../connectors/port.ts';
import type { ItemRow } from '../../core/model.ts';
import { Scanner } from '../../core/recognise/engine.ts';
import { DATA_TYPES } from '../../core/recognise/types/index.ts';
import { serve } from '../../jobs/rpc.ts';
import { dbOver } from '../../store/db.ts';
import {
  mergeStaged,
  restage,
  stage,
  type ContentDoc,
  type ObservedKind,
  type StagedRow,
} from '../../store/observed.ts';
import type { SurveyStep } from '../dto.ts';
import { Ledger } from '../ledger.ts';
import { STEP_NAMES, type StepName } from './steps.ts';

export interface SurveySource {
  id: string;
  kind: 'directory' | 'drives';
  url: string;
  token: string;
}
export interface SurveyOrder {
  survey: number;
  by: string;
  sources: SurveySource[];
  /** Key of the hashes by which distinct values are told apart. */
  hashKey: string;
}
export type SurveyResult =
  { state: 'done'; takenAt: string } | { state: 'failed' | 'cancelled'; reason: string };

const { port, dbPort, order } = workerData as { port: MessagePort; dbPort: MessagePort; order: SurveyOrder };
const db = dbOver(dbPort);
const abort = new AbortController();

const steps: SurveyStep[] = STEP_NAMES.map((name) => ({
  name,
  state: 'waiting',
  done: 0,
  total: null,
  failed: 0,
  startedAt: null,
  finishedAt: null,
}));

/** Content is read by this many requests at a time. */
const READERS = 8;
/** A longer file is scanned this far and said to be so. */
const LONGEST_TEXT = 64 * 1024 * 1024;
/** Kept per data type and file: enough for a dossier. */
const KEEP = 20;

let lastTold = 0;
function tell(force = false): void {
  const now = Date.now();
  if (!force && now - lastTold < 200) return;
  lastTold = now;
  parentPort!.postMessage({ survey: order.survey, steps });
}

async function inStep(name: StepName, work: (step: SurveyStep) => Promise<void>): Promise<void> {
  if (abort.signal.aborted) throw new ConnectorError('cancelled', 'The survey was cancelled.');
  const seq = STEP_NAMES.indexOf(name);
  const step = steps[seq]!;
  const save = () =>
    db.query(
      `insert into survey_step (survey, seq, name, state, done, total, failed, started_at, finished_at)
       values ($1, $2, $3, $4, $5, $6, $7, $8, $9)
       on conflict (survey, seq) do update set state = excluded.state, done = excluded.done, total = excluded.total,
         failed = excluded.failed, finished_at = excluded.finished_at`,
      [
        order.survey,
        seq,
        name,
        step.state,
        step.done,
        step.total,
        step.failed,
        step.startedAt,
        step.finishedAt,
      ],
    );
  step.state = 'running';
  step.startedAt = new Date().toISOString();
  await save();
  tell(true);
  try {
    await work(step);
    step.state = 'done';
  } catch (e) {
    step.state = 'failed';
    throw e;
  } finally {
    step.finishedAt = new Date().toISOString();
    await save();
    tell(true);
  }
}

async function fail(step: SurveyStep, object: string, reason: string): Promise<void> {
  step.failed++;
  await db.query('insert into survey_failure (survey, step, object, reason) values ($1, $2, $3, $4)', [
    order.survey,
    step.name,
    object.slice(0, 512),
    reason,
  ]);
}

/** Reads all pages of a kind into staging. */
async function readAll<Row extends { id: string }>(
  step: SurveyStep,
  kind: ObservedKind,
  source: string,
  pages: AsyncIterable<Page<Row>>,
  each?: (row: Row) => void,
): Promise<void> {
  const before = step.total ?? 0;
  for await (const page of pages) {
    if (page.total !== undefined) step.total = before + page.total;
    const rows: StagedRow[] = page.rows.map((doc) => ({ kind, source, id: doc.id, doc }));
    await stage(db, order.survey, rows);
    if (each) page.rows.forEach(each);
    step.done += rows.length;
    for (const r of page.rejected) await fail(step, r.id, r.reason);
    tell();
  }
}

/** Whether a file's kind can hold text that is read today. Others are known by their names alone. */
const mayHoldText = (item: ItemRow): boolean =>
  item.kind === 'file' && !/^(?:image|video|audio|font)\//.test(item.mime ?? '');

async function scan(item: ItemRow, connector: WorkspaceConnector): Promise<ContentDoc> {
  const scanner = new Scanner({
    types: DATA_TYPES,
    keep: KEEP,
    hash: (type, value) =>
      createHmac('sha256', order.hashKey).update(`${type}\0${value}`).digest('base64url').slice(0, 22),
  });
  scanner.fileName(item.name);
  const bytes = mayHoldText(item) ? await connector.content(item.id) : undefined;
  if (!bytes) return { state: 'name-only', found: scanner.finish() };
  scanner.begin('body');
  const decoder = new TextDecoder('utf-8');
  let read = 0;
  for await (const chunk of bytes) {
    read += chunk.length;
    scanner.feed(decoder.decode(chunk, { stream: true }));
    if (read > LONGEST_TEXT)
      return {
        state: 'scanned',
        reason: `only the first ${LONGEST_TEXT / 1024 / 1024} MB`,
        found: scanner.finish(),
      };
  }
  scanner.feed(decoder.decode());
  return { state: 'scanned', found: scanner.finish() };
}

/** Scans the files of one workspace, several at a time; one that cannot be read keeps what was known of it. */
async function scanAll(
  step: SurveyStep,
  source: SurveySource,
  connector: WorkspaceConnector,
  items: ItemRow[],
): Promise<void> {
  let next = 0;
  let ready: StagedRow[] = [];
  const flush = async (): Promise<void> => {
    const rows = ready;
    ready = [];
    await stage(db, order.survey, rows);
  };
  const reader = async (): Promise<void> => {
    while (next < items.length) {
      const item = items[next++]!;
      let doc: ContentDoc;
      try {
        doc = await scan(item, connector);
      } catch (e) {
        if (abort.signal.aborted || (e instanceof ConnectorError && e.code === 'not-allowed')) throw e;
        const reason =
          e instanceof ConnectorError ? e.message : 'The connection broke while its content was read.';
        await fail(step, item.id, reason);
        const known = await db.query<{ doc: ContentDoc }>(
          "select doc from observed where kind = 'content' and source = $1 and id = $2 and valid_to is null",
          [source.id, item.id],
        );
        doc = known[0]?.doc ?? { state: 'unreadable', reason, found: [] };
      }
      ready.push({ kind: 'content', source: source.id, id: item.id, doc });
      step.done++;
      tell();
      if (ready.length >= 500) await flush();
    }
  };
  await Promise.all(Array.from({ length: READERS }, reader));
  await flush();
}

async function run(): Promise<SurveyResult> {
  const http = (s: SurveySource) => ({ url: s.url, token: s.token, signal: abort.signal });
  const directories = order.sources
    .filter((s) => s.kind === 'directory')
    .map((s) => ({ source: s, connector: scimDirectory(http(s)) }));
  const workspaces = order.sources
    .filter((s) => s.kind === 'drives')
    .map((s) => ({ source: s, connector: drivesWorkspace(http(s)), token: '', files: [] as ItemRow[] }));
  let takenAt = '';
  try {
    await db.query('delete from staged');
    for (const w of workspaces) {
      const about = await w.connector.about();
      w.token = about.changeToken;
      await stage(db, order.survey, [
        {
          kind: 'about',
          source: w.source.id,
          id: w.source.id,
          doc: { organisation: about.organisation, workspace: about.workspace },
        },
      ]);
    }
    for (const [name, kind] of [
      ['people', 'person'],
      ['groups', 'group'],
    ] as const)
      await inStep(name, async (step) => {
        for (const d of directories) await readAll(step, kind, d.source.id, d.connector.list(kind));
      });
    for (const [name, kind] of [
      ['spaces', 'space'],
      ['items', 'item'],
      ['grants', 'grant'],
      ['links', 'link'],
    ] as const)
      await inStep(name, async (step) => {
        for (const w of workspaces)
          await readAll<{ id: string }>(step, kind, w.source.id, w.connector.list(kind), (row) => {
            if (kind === 'item' && (row as ItemRow).kind === 'file') w.files.push(row as ItemRow);
          });
      });
    await inStep('content', async (step) => {
      step.total = workspaces.reduce((n, w) => n + w.files.length, 0);
      for (const w of workspaces) await scanAll(step, w.source, w.connector, w.files);
    });
    await inStep('changes meanwhile', async (step) => {
      for (const w of workspaces) {
        const { changes } = await w.connector.changesSince(w.token);
        await restage(
          db,
          order.survey,
          changes.map((c) => ({ kind: c.kind, source: w.source.id, id: c.id, doc: c.row })),
        );
        for (const c of changes)
          if (c.kind === 'item' && c.row?.kind === 'file')
            await restage(db, order.survey, [
              { kind: 'content', source: w.source.id, id: c.id, doc: await scan(c.row, w.connector) },
            ]);
        step.done += changes.length;
      }
      takenAt = new Date().toISOString();
    });
    await inStep('taking over', async () => {
      const whole = [
        ...directories.flatMap((d) =>
          (['person', 'group'] as const).map((kind) => ({ kind, source: d.source.id })),
        ),
        ...workspaces.flatMap((w) =>
          (['about', 'space', 'item', 'grant', 'link', 'content'] as const).map((kind) => ({
            kind,
            source: w.source.id,
          })),
        ),
      ];
      await db.transaction(async (tx) => {
        await mergeStaged(tx, order.survey, whole);
        await tx.query("update survey set state = 'done', taken_at = $2, finished_at = $2 where id = $1", [
          order.survey,
          takenAt,
        ]);
        const counts = steps.slice(0, -1).map((s) => ({ name: s.name, done: s.done, failed: s.failed }));
        await new Ledger(db, () => new Date()).add(
          { who: order.by, what: 'survey.done', subject: `survey ${order.survey}`, after: { steps: counts } },
          tx,
        );
      });
    });
    return { state: 'done', takenAt };
  } catch (e) {
    await db.query('delete from staged where survey = $1', [order.survey]).catch(() => undefined);
    if (abort.signal.aborted) return { state: 'cancelled', reason: 'Cancelled by the steward.' };
    if (e instanceof ConnectorError) return { state: 'failed', reason: e.message };
    throw e;
  }
}

const functions = { run, cancel: () => abort.abort() };
export type SurveyFunctions = typeof functions;
serve(port, functions);
