/**
 * One survey: reads every source, scans content as it streams by, stages what it saw, merges it in
 * part by part under its own number, and then says that it is done. Until then nothing that is in
 * force changes.
 */
import { parentPort, workerData, type MessagePort } from 'node:worker_threads';
import { connectWorkspace, scimDirectory } from '../../connectors/http-connectors.ts';
import { ConnectorError, type Changed, type Page, type WorkspaceConnector } from '../../connectors/port.ts';
import type { GrantRow, GroupRow, ItemRow, LinkRow } from '../../core/model.ts';
import { compileCustom } from '../../core/recognise/custom.ts';
import { Scanner } from '../../core/recognise/scan.ts';
import { DATA_TYPES, dataType } from '../../core/recognise/types/index.ts';
import { FEED_KINDS, KINDS } from '../../core/row-kinds.ts';
import { GroupsByRule } from '../../formats/group-rules.ts';
import { serve } from '../../jobs/rpc.ts';
import { dbOver } from '../../store/db.ts';
import { Intake } from '../../store/intake.ts';
import { mergeStaged, stageActivity, type ContentDoc, type ObservedKind } from '../../store/observed.ts';
import { waitingStep, type JobStep } from '../../dto/jobs.ts';
import { saveSteps } from '../../store/jobs.ts';
import { scansOf, keepScans } from '../../store/scans.ts';
import { Ledger } from '../ledger.ts';
import { valueHash } from '../scan/hash.ts';
import { contentDoc, recogniserVersion, ScanPool } from '../scan/pool.ts';
import { stageExtract } from './extract.ts';
import { mayHoldText, versionOf, withoutText } from './files.ts';
import type { SurveyOrder, SurveySource } from './order.ts';
import { FULL_STEPS, INCREMENTAL_STEPS, stepOf, type StepName } from './steps.ts';

export type SurveyResult =
  { state: 'done'; takenAt: string } | { state: 'failed' | 'cancelled'; reason: string };

const { port, dbPort, order } = workerData as { port: MessagePort; dbPort: MessagePort; order: SurveyOrder };
const db = dbOver(dbPort);
const abort = new AbortController();
const now = (): Date => new Date(Date.now() + order.clockOffset);

const stepNames: readonly StepName[] = order.kind === 'full' ? FULL_STEPS : INCREMENTAL_STEPS;
const steps = stepNames.map(waitingStep);
/** Where what is read goes; made when the survey begins. */
let intake: Intake;

const OBSERVED_KINDS: readonly ObservedKind[] = ['about', ...KINDS, 'content'];

/** Content is read by this many requests at a time. */
const READERS = 8;
/** Kept per data type and file: enough for a dossier. */
const KEEP = 20;

let lastTold = 0;
function tell(force = false): void {
  const time = Date.now();
  if (!force && time - lastTold < 200) return;
  lastTold = time;
  parentPort!.postMessage({ survey: order.survey, steps });
}

async function inStep(name: StepName, work: (step: JobStep) => Promise<void>): Promise<void> {
  if (abort.signal.aborted) throw new ConnectorError('cancelled', 'The survey was cancelled.');
  const step = steps[stepNames.indexOf(name)]!;
  step.state = 'running';
  step.startedAt = now().toISOString();
  await saveSteps(db, order.job, steps);
  tell(true);
  try {
    await work(step);
    step.state = 'done';
  } catch (e) {
    step.state = 'failed';
    throw e;
  } finally {
    step.finishedAt = now().toISOString();
    await saveSteps(db, order.job, steps);
    tell(true);
  }
}

async function fail(step: JobStep, object: string, reason: string): Promise<void> {
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
  step: JobStep,
  kind: ObservedKind,
  source: string,
  pages: AsyncIterable<Page<Row>>,
  each?: (row: Row, raw: unknown) => void,
): Promise<void> {
  const before = step.total ?? 0;
  await intake.whole(kind, source);
  for await (const page of pages) {
    if (page.total !== undefined) step.total = before + page.total;
    await intake.put(page.rows.map((doc) => ({ kind, source, id: doc.id, doc })));
    if (each) page.rows.forEach((row, i) => each(row, page.raw?.[i]));
    step.done += page.rows.length;
    for (const r of page.rejected) {
      await fail(step, r.id, r.reason);
      intake.keep(kind, source, r.id);
    }
    tell();
  }
}

/** Reads a directory's groups; whom a rule holds for is asked of the people read before. */
async function readGroups(
  step: JobStep,
  source: string,
  pages: AsyncIterable<Page<GroupRow>>,
  rules: GroupsByRule,
): Promise<void> {
  const byRule: string[] = [];
  await readAll(step, 'group', source, pages, (row) => {
    if (rules.group(row)) byRule.push(row.id);
  });
  if (!byRule.length) return;
  for (const { group, complaint } of rules.resolve()) {
    await intake.put([{ kind: 'group', source, id: group.id, doc: group }]);
    if (complaint) await fail(step, group.id, complaint);
  }
}

const pool = new ScanPool({ ...order.recogniser, hashKey: order.hashKey });
/** With what files are scanned now. */
const recogniser = recogniserVersion(order.recogniser);
const custom = order.recogniser.custom.map((t) => compileCustom(t, (id) => dataType(id) !== undefined));
let keptAsTheyWere = 0;

/** A scanner in this thread: for names, and for what streams by with an extract. */
const newScanner = (): Scanner =>
  new Scanner({ types: DATA_TYPES, custom, keep: KEEP, hash: valueHash(order.hashKey) });

/** A file that holds no text that is read is looked at by its name, here and at once. */
function scanName(item: ItemRow): ContentDoc {
  const scanner = newScanner();
  scanner.fileName(item.name);
  return { state: 'name-only', found: scanner.finish() };
}

async function scan(item: ItemRow, connector: WorkspaceConnector): Promise<ContentDoc> {
  const bytes = await connector.content(item.id);
  return bytes
    ? contentDoc(await pool.scan({ name: item.name, nameOnly: false, keep: KEEP }, bytes), false)
    : scanName(item);
}

/** Of a source: what has a grant or link of its own that lets somebody outside in. */
const openTo = new Map<string, Set<string>>();
function seeEntry(source: string, kind: ObservedKind, row: unknown): void {
  if (kind !== 'grant' && kind !== 'link') return;
  const outside =
    kind === 'link'
      ? (row as LinkRow).audience !== 'organisation'
      : ['anyone', 'domain', 'email'].some((k) => k in (row as GrantRow).to);
  if (!outside) return;
  const { on } = row as GrantRow | LinkRow;
  const nodes = openTo.get(source) ?? new Set();
  openTo.set(source, nodes.add('item' in on ? on.item : on.space));
}

/** Files that can be reached from outside come first: those that were, and those with such a grant or link of their own or their folder or space. */
function inOrder(source: SurveySource, items: readonly ItemRow[]): ItemRow[] {
  const bright = new Set([...(order.first[source.id] ?? []), ...(openTo.get(source.id) ?? [])]);
  const is = (i: ItemRow): boolean =>
    bright.has(i.id) || bright.has(i.space) || (i.parent !== undefined && bright.has(i.parent));
  return [...items.filter(is), ...items.filter((i) => !is(i))];
}

/**
 * Scans the files of one workspace, several at a time, and those that can be reached from outside
 * first. One that has not changed since it was scanned is not read again; one that cannot be read
 * keeps what was known of it. What was found is kept as it comes, whatever becomes of the survey.
 */
async function scanAll(
  step: JobStep,
  source: SurveySource,
  connector: WorkspaceConnector,
  files: readonly ItemRow[],
): Promise<void> {
  const items = inOrder(source, files);
  let next = 0;
  let ready: { item: ItemRow; doc: ContentDoc; anew: boolean }[] = [];
  const flush = async (): Promise<void> => {
    const rows = ready;
    ready = [];
    const scans = rows.flatMap(({ item, doc, anew }) => {
      const version = versionOf(item);
      return anew && version ? [{ item: item.id, version, doc }] : [];
    });
    await keepScans(db, source.id, recogniser, scans);
    await intake.put(
      rows.map(({ item, doc }) => ({ kind: 'content' as const, source: source.id, id: item.id, doc })),
    );
  };
  const PART = 500;
  const parts = new Map<number, ReturnType<typeof scansOf>>();
  const known = (n: number): ReturnType<typeof scansOf> => {
    const part = Math.floor(n / PART);
    let ask = parts.get(part);
    if (!ask) {
      const ids = items.slice(part * PART, (part + 1) * PART).map((i) => i.id);
      parts.set(part, (ask = scansOf(db, source.id, recogniser, ids)));
      parts.delete(part - 2);
    }
    return ask;
  };
  const reader = async (): Promise<void> => {
    while (next < items.length) {
      const n = next++;
      const item = items[n]!;
      const reads = mayHoldText(item, order.recogniser.pictures);
      const before = reads ? (await known(n)).get(item.id) : undefined;
      let doc: ContentDoc;
      let anew = false;
      if (!reads) doc = scanName(item);
      else if (before && before.version === versionOf(item)) {
        doc = before.doc;
        keptAsTheyWere++;
      } else
        try {
          doc = await scan(item, connector);
          anew = true;
        } catch (e) {
          if (abort.signal.aborted || (e instanceof ConnectorError && e.code === 'not-allowed')) throw e;
          const reason =
            e instanceof ConnectorError ? e.message : 'The connection broke while its content was read.';
          await fail(step, item.id, reason);
          const was = await db.query<{ doc: ContentDoc }>(
            "select doc from observed where kind = 'content' and source = $1 and id = $2 and valid_to is null",
            [source.id, item.id],
          );
          doc = was[0]?.doc ?? { state: 'unreadable', reason, found: [] };
        }
      ready.push({ item, doc, anew });
      if (step.name === 'content') {
        step.done++;
        if (keptAsTheyWere)
          step.note = `${keptAsTheyWere.toLocaleString('en')} had not changed since they were scanned`;
      }
      tell();
      if (ready.length >= 500) await flush();
    }
  };
  try {
    await Promise.all(Array.from({ length: READERS }, reader));
  } finally {
    await flush();
  }
}

interface Workspace {
  source: SurveySource;
  connector: WorkspaceConnector;
  token: string;
  /** Read in full; else from its change token on. */
  whole: boolean;
  files: ItemRow[];
}

/** Changes since a workspace's token, staged; the files among them want scanning. */
async function readChanges(step: JobStep, w: Workspace): Promise<void> {
  const files = new Map(w.files.map((f) => [f.id, f]));
  for await (const part of w.connector.changesSince(w.token)) {
    // a row may change again while the changes are read: the later word counts
    const last = new Map<string, Changed>(part.changes.map((c) => [`${c.kind}/${c.id}`, c]));
    for (const c of last.values()) if (c.row) seeEntry(w.source.id, c.kind, c.row);
    await intake.put(
      [...last.values()].map((c) => ({ kind: c.kind, source: w.source.id, id: c.id, doc: c.row })),
    );
    for (const r of part.rejected) await fail(step, r.id, r.reason);
    for (const c of last.values()) {
      if (c.kind !== 'item') continue;
      if (c.row?.kind === 'file') files.set(c.id, c.row);
      else {
        files.delete(c.id);
        await intake.put([{ kind: 'content', source: w.source.id, id: c.id, doc: null }]);
      }
    }
    w.token = part.changeToken;
    step.done += part.changes.length;
    tell();
  }
  w.files = [...files.values()];
}

/** Files whose content could not be read the last time, or was scanned with other data types. */
const unreadBefore = (source: string): Promise<{ doc: ItemRow }[]> =>
  db.query(
    `select i.doc from observed i where i.kind = 'item' and i.source = $1 and i.valid_to is null and i.doc->>'kind' = 'file'
     and (exists (select 1 from observed c where c.kind = 'content' and c.source = $1 and c.id = i.id and c.valid_to is null and c.doc->>'state' = 'unreadable')
          or i.id in (select object from survey_failure where step = 'content' and survey = (select max(id) from survey where state = 'done' and kind <> 'read-back'))
          or (not exists (select 1 from scan s where s.source = $1 and s.item = i.id and s.types = $2)
              and coalesce(i.doc->>'mime', '') !~ $3))`,
    [source, recogniser, withoutText(order.recogniser.pictures).source],
  );

/** Sources that failed, with why: the survey goes on without them, and what was known of them stays. */
const failed = new Map<string, string>();

/** Does a source's part of a step, unless it has failed; a failure of its own is not the survey's. */
async function ofSource(step: JobStep, source: string, work: () => Promise<void>): Promise<void> {
  if (failed.has(source)) return;
  try {
    await work();
  } catch (e) {
    const own =
      e instanceof ConnectorError &&
      e.code !== 'cancelled' &&
      !(e.code === 'token-expired' && order.kind === 'incremental');
    if (!own || abort.signal.aborted) throw e;
    failed.set(source, e.message);
    await intake.forget(source);
    await db.query('delete from staged_activity where source = $1', [source]);
    await fail(
      step,
      source,
      `${e.message} The survey went on without this source; what was known of it stays.`,
    );
  }
}

async function run(): Promise<SurveyResult> {
  const http = (s: SurveySource) => ({
    url: s.url,
    token: s.token,
    signal: abort.signal,
    localToo: order.localSources,
  });
  const directories = order.sources
    .filter((s) => s.kind === 'directory')
    .map((s) => ({ source: s, connector: scimDirectory(http(s)), rules: new GroupsByRule() }));
  const workspaces = order.sources.flatMap((s): Workspace[] =>
    s.kind === 'directory' || s.kind === 'extract'
      ? []
      : [{ source: s, connector: connectWorkspace(s.kind, http(s)), token: '', whole: true, files: [] }],
  );
  const extracts = order.sources.filter((s) => s.kind === 'extract');
  let takenAt = '';
  try {
    intake = await Intake.begin(
      db,
      order.survey,
      order.sources.map((s) => s.id),
      OBSERVED_KINDS,
      abort.signal,
    );
    await inStep('people', async (step) => {
      for (const w of workspaces)
        await ofSource(step, w.source.id, async () => {
          const about = await w.connector.about();
          w.whole = order.kind === 'full' || order.changeTokens[w.source.id] === undefined;
          w.token = w.whole ? about.changeToken : order.changeTokens[w.source.id]!;
          const doc = { organisation: about.organisation, workspace: about.workspace };
          await intake.whole('about', w.source.id);
          await intake.put([{ kind: 'about', source: w.source.id, id: w.source.id, doc }]);
        });
      for (const d of directories)
        await ofSource(step, d.source.id, () =>
          readAll(step, 'person', d.source.id, d.connector.list('person'), (_, raw) =>
            d.rules.user(raw as { id: string }),
          ),
        );
      for (const w of workspaces)
        await ofSource(step, w.source.id, () =>
          readAll(step, 'person', w.source.id, w.connector.list('person')),
        );
    });
    await inStep('groups', async (step) => {
      for (const d of directories)
        await ofSource(step, d.source.id, () =>
          readGroups(step, d.source.id, d.connector.list('group'), d.rules),
        );
    });
    if (order.kind === 'full') {
      if (extracts.length)
        takenAt = await stageExtract({ db, intake, extracts, inStep, ofSource, fail, tell, newScanner });
      for (const kind of FEED_KINDS)
        await inStep(stepOf(kind), async (step) => {
          for (const w of workspaces)
            await ofSource(step, w.source.id, () =>
              readAll<{ id: string }>(step, kind, w.source.id, w.connector.list(kind), (row) => {
                seeEntry(w.source.id, kind, row);
                if (kind === 'item' && (row as ItemRow).kind === 'file') w.files.push(row as ItemRow);
              }),
            );
        });
    } else
      await inStep('what changed', async (step) => {
        for (const w of workspaces)
          await ofSource(step, w.source.id, async () => {
            if (w.whole)
              throw new ConnectorError(
                'refused',
                'It has not been surveyed in full yet: survey all sources.',
              );
            w.files = (await unreadBefore(w.source.id)).map((r) => r.doc);
            await readChanges(step, w);
          });
      });
    await inStep('content', async (step) => {
      step.total = (step.total ?? 0) + workspaces.reduce((n, w) => n + w.files.length, 0);
      for (const w of workspaces)
        await ofSource(step, w.source.id, async () => {
          if (order.kind === 'full') await intake.whole('content', w.source.id);
          await scanAll(step, w.source, w.connector, w.files);
        });
    });
    await inStep('activity', async (step) => {
      for (const w of workspaces)
        await ofSource(step, w.source.id, async () => {
          for await (const part of w.connector.activity('0')) {
            await stageActivity(
              db,
              part.rows.map((r) => ({ source: w.source.id, ...r })),
            );
            step.done += part.rows.length;
            tell();
          }
        });
    });
    if (order.kind === 'full')
      await inStep('changes meanwhile', async (step) => {
        for (const w of workspaces)
          await ofSource(step, w.source.id, async () => {
            w.files = [];
            await readChanges(step, w);
            await scanAll(step, w.source, w.connector, w.files);
          });
      });
    const read = order.sources.filter((s) => s.kind !== 'directory');
    if (read.every((s) => failed.has(s.id)))
      throw new ConnectorError('refused', [...new Set(failed.values())].join(' '));
    // judged at the moment to which the changes were read, unless an extract says when it was taken
    takenAt = workspaces.length || !takenAt ? now().toISOString() : takenAt;
    await inStep('taking over', async (step) => {
      // rows of sources that are no more end
      const sources = await db.query<{ id: string }>('select id from source');
      await intake.endOthers(new Set(sources.map((s) => s.id)));
      await intake.finish();
      [{ n: step.total }] = (await db.query<{ n: number }>(
        'select count(*)::int as n from staged where survey = $1',
        [order.survey],
      )) as [{ n: number }];
      const surveyed = workspaces.filter((w) => !failed.has(w.source.id));
      const { added, altered, removed } = await mergeStaged(db, order.survey, intake.added, {
        signal: abort.signal,
        progress: (done) => {
          step.done = done;
          tell();
        },
      });
      step.done = step.total;
      await db.transaction(async (tx) => {
        await tx.query(
          `update survey set state = 'done', taken_at = $2, finished_at = $3, added = $4, altered = $5, removed = $6
           where id = $1`,
          [order.survey, takenAt, now(), added, altered, removed],
        );
        await tx.query('truncate staged');
        if (order.kind === 'full')
          await tx.query(
            "delete from scan s where s.source = any($1) and not exists (select 1 from observed o where o.kind = 'item' and o.source = s.source and o.id = s.item and o.valid_to is null)",
            [surveyed.map((w) => w.source.id)],
          );
        for (const w of surveyed)
          await tx.query(
            `insert into change_token (source, token, survey) values ($1, $2, $3)
             on conflict (source) do update set token = excluded.token, survey = excluded.survey`,
            [w.source.id, w.token, order.survey],
          );
        const counts = steps.slice(0, -1).map((s) => ({ name: s.name, done: s.done, failed: s.failed }));
        await new Ledger(db, now).add(
          {
            who: order.by,
            what: 'survey.done',
            subject: `survey ${order.survey}`,
            after: { kind: order.kind, steps: counts },
          },
          tx,
        );
      });
    });
    return { state: 'done', takenAt };
  } catch (e) {
    await db.query('truncate staged, staged_activity').catch(() => undefined);
    if (abort.signal.aborted) return { state: 'cancelled', reason: 'Cancelled by the steward.' };
    if (e instanceof ConnectorError && e.code === 'token-expired')
      return { state: 'failed', reason: `${e.message} Survey everything instead.` };
    if (e instanceof ConnectorError) return { state: 'failed', reason: e.message };
    throw e;
  }
}

const functions = { run, cancel: () => abort.abort() };
export type SurveyFunctions = typeof functions;
serve(port, functions);
