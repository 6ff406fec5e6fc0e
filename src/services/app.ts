/** The application: everything made once and put together, with nothing of the web in it. */
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { DATA_TYPES } from '../core/recognise/types/index.ts';
import { UNFINISHED } from '../core/remedy/states.ts';
import { openDb, storeOf } from '../store/db.ts';
import { AccountAdmin } from './account-admin.ts';
import { ApiTokens } from './api-tokens.ts';
import { Accounts } from './accounts.ts';
import { AppDomains } from './app-domains.ts';
import { Approvals } from './approvals.ts';
import type { AccountRole, Course, SsoSettings } from '../dto/accounts.ts';
import { Engine } from '../engine/engine.ts';
import type { App } from './app-parts.ts';
import { Evidence } from './evidence.ts';
import { Events } from './events.ts';
import { Extracts } from './extracts.ts';
import { Findings } from './findings.ts';
import { appFor } from './held.ts';
import { Jobs } from './jobs.ts';
import { Ledger } from './ledger.ts';
import { LedgerHeads } from './ledger-heads.ts';
import { lock } from './lock.ts';
import { log } from './log.ts';
import { Metrics } from './metrics.ts';
import { Mail } from './messages/mail.ts';
import { Alerts } from './messages/alerts.ts';
import { Outbox } from './messages/outbox.ts';
import { Orders } from './orders/orders.ts';
import { Rounds } from './review/rounds.ts';
import { Partners } from './partners.ts';
import { Plans } from './plans/plans.ts';
import { Decisions } from './decisions.ts';
import { Happenings } from './happened/happenings.ts';
import { SIGNALS_WAITING } from './happened/signals.ts';
import { Policies } from './policies/policies.ts';
import { Present } from './present.ts';
import { privateDirectory } from './private-files.ts';
import { Recognition } from './recognition.ts';
import { SecondFactor } from './second-factor.ts';
import { Secrets } from './secrets.ts';
import { SigningKey } from './signing-key.ts';
import { Views } from './views.ts';
import { keepSum, Watch } from './watch.ts';
import { Tables } from './tables/export.ts';
import { Retention } from './retention.ts';
import { Schedule } from './schedule.ts';
import { Scopes } from './scopes.ts';
import { Scim } from './scim.ts';
import { Sso } from './sso.ts';
import { Tray } from './tray.ts';
import { Surveys, type SourceInput } from './survey/surveys.ts';

export type { App };

/** What a demo brings: accounts and sources that are put in place when it starts. */
export interface Seed {
  accounts: { name: string; address: string; role: AccountRole; password: string }[];
  sources: SourceInput[];
  sso?: { settings: SsoSettings; secret: string };
  /** By source: the token with which it asks for decisions. */
  deciding?: Record<string, string>;
  /** By source: the secret with which it signs what it tells of. */
  telling?: Record<string, string>;
  /** Where one can act as the people of a simulated organisation. */
  farSide?: string;
  /** Where registrations of domains are looked up. */
  registry?: string;
  /** Begin a survey at once if there has been none. */
  survey: boolean;
  /** A file that says by how many milliseconds the clock is off, while it is there: with it a demo makes its past. */
  clock?: string;
}

/** The clock; with a file that says so, off by an offset that is never forwards. */
function clockOf(file: string | undefined): () => Date {
  if (!file) return () => new Date();
  return () => {
    let offset = 0;
    try {
      offset = Number((JSON.parse(readFileSync(file, 'utf8')) as { offset: number }).offset);
    } catch {
      // no file: the past is made
    }
    return new Date(Date.now() + Math.min(0, offset || 0));
  };
}

/**
 * Opens the data directory (made if absent) and takes up what a crash left. What is asked about the last
 * survey can be answered when it is `ready`: at a million items that takes minutes.
 */
export async function createApp(directory: string, seed?: Seed): Promise<App> {
  privateDirectory(directory);
  const unlock = lock(directory);
  const clock = clockOf(seed?.clock);
  const engine = Engine.start(join(directory, 'columns'));
  const db = await openDb(storeOf(directory)).catch(async (e: unknown) => {
    await engine.close();
    throw e;
  });
  const ledger = new Ledger(db, clock);
  const secrets = new Secrets(directory);
  await secrets.check(db);
  const second = new SecondFactor(db, ledger, secrets, clock);
  const accounts = new Accounts(db, ledger, second, clock);
  await accounts.readSettings();
  const admin = new AccountAdmin(db, ledger, accounts, second, clock);
  const sso = new Sso(db, ledger, secrets, accounts, admin, clock);
  await sso.readSettings();
  const mail = new Mail(db, ledger, secrets);
  await mail.readSettings();
  await engine.connect(db);
  const events = new Events();
  const tokens = new ApiTokens(db, ledger, events, clock);
  const findings = new Findings(db, ledger, clock);
  const signing = new SigningKey(db, secrets);
  const heads = new LedgerHeads(
    db,
    ledger,
    signing,
    join(directory, 'ledger-heads.jws'),
    process.env.GATE_LANTERN_LEDGER_HEADS,
    clock,
  );
  const present = new Present(db, engine, events);
  const metrics = new Metrics(db, clock);
  events.listen((e) => {
    if (e.type !== 'job' || e.state === 'running') return;
    metrics.job(e.kind, e.state);
    log.info({ job: e.kind, subject: e.subject, state: e.state }, 'a job ended');
  });
  const jobs = new Jobs(db, events, clock);
  const surveys = new Surveys(db, ledger, engine, present, secrets, jobs, clock);
  const recognition = new Recognition(db, ledger, engine, surveys, present, secrets, clock);
  const extracts = new Extracts(join(directory, 'extracts'), surveys, engine, ledger);
  const tray = new Tray(db, engine);
  const planParts = { db, ledger, engine, surveys, present, tray, events, jobs, clock };
  const plans = new Plans(planParts);
  // in this order: findings follow the survey, its sum counts them, and plans look at what became of their work
  present.subscribe((move) => findings.follow(move));
  present.subscribe((move) => keepSum(db, engine, move.survey, move.again));
  let isReading = true;
  const askFirst = (): void =>
    void findings
      .ahead()
      .catch((e: unknown) => log.error({ err: e }, 'what is asked for first was not made ready'));
  present.subscribe(() => {
    // at a start the database has more urgent things to do: it is done once everything else is
    if (!isReading) askFirst();
    return Promise.resolve();
  });
  present.subscribe(async ({ ended }) => {
    if (ended) await plans.proofs.lookForDrift();
  });

  const policies = new Policies(db, ledger, engine, present, jobs, events, plans, findings, clock);
  const decisions = new Decisions(db, ledger, engine, clock);
  policies.onChange = () => decisions.arm();
  surveys.onRemoved = (source) => decisions.forget(source);
  await decisions.start();
  // exceptions come to their last day
  present.subscribe(() => decisions.arm());
  const happened = new Happenings({ db, ledger, engine, secrets, jobs, events, surveys, clock });
  const outbox = new Outbox(
    db,
    ledger,
    jobs,
    mail,
    (channel, text, key) => surveys.post(channel, text, key),
    secrets,
    clock,
  );
  const orderParts = {
    db,
    ledger,
    engine,
    jobs,
    events,
    surveys,
    present,
    plans,
    outbox,
    mail,
    secrets,
    clock,
  };
  const alerts = new Alerts(orderParts);
  const orders = new Orders(orderParts);
  const rounds = new Rounds(orderParts);
  rounds.charters.onChange = async () => {
    await policies.again();
    await decisions.arm();
  };
  policies.onJudged = async (kept) => {
    await rounds.charters.byRule(kept);
    await rounds.byRule(kept);
  };
  outbox.onMoved = () => events.emit({ type: 'policies' });
  orders.runs.onReview = (keys, of, also) => rounds.byOrder(keys, of, also);
  orders.runs.onSuspended = () => decisions.arm();
  orders.runs.onTrouble = (tx, run, trouble) => alerts.onRun(tx, run, trouble);
  happened.onNew = () => void orders.begin.look();
  happened.signals.onFound = async (tx, signal) => {
    await orders.begin.bySignal(tx, signal);
    await alerts.onSignal(tx, signal);
  };
  happened.signals.onKept = () => void jobs.look().catch(() => undefined);
  policies.onHits = async (tx, policy, hits, at) => {
    await orders.begin.byHits(tx, policy, hits, at);
    await alerts.onHits(tx, policy, hits, at);
  };
  ledger.onAdded = (tx, deed, seq) => alerts.onDeed(tx, deed, seq);
  const schedule = new Schedule(db, ledger, jobs, surveys, clock);
  const approvals = new Approvals({ db, ledger, engine, events, outbox, jobs, secrets, clock });
  approvals.onChange = async () => {
    await policies.again();
    await decisions.arm();
  };
  const appDomains = new AppDomains({ db, ledger, engine, events, jobs, clock });
  appDomains.onChange = () => policies.again();
  decisions.onAsked = (request) => approvals.ask(request);
  decisions.onRecorded = (source, list) => happened.log.take(source, list);
  const retention = new Retention(db, ledger, engine, clock);
  present.subscribe(async ({ ended }) => {
    if (!ended) return;
    await retention.drop();
    await appDomains.look();
  });

  await jobs.takeUp();
  surveys.tidy().catch((e: unknown) => log.error({ err: e }, 'what a survey left could not be taken away'));
  await extracts.tidy();
  await recognition.sealCases();
  const first = await accounts.empty();
  if (first)
    for (const a of seed?.accounts ?? [])
      await accounts.create(a.name, a.address, a.role, a.password, 'demo');
  // their addresses change from start to start; one that was removed stays so
  const known = new Set((await surveys.sources()).map((s) => s.id));
  // the demo’s identity provider has another port at every start, too
  if (seed?.sso) await sso.seed(seed.sso.settings, seed.sso.secret);
  for (const s of seed?.sources ?? []) if (first || known.has(s.id)) await surveys.putSource(s, 'demo');
  for (const [source, token] of Object.entries(seed?.deciding ?? {}))
    if (decisions.sourceOf(token) !== source) await decisions.makeToken(source, 'demo', token);
  for (const [source, secret] of Object.entries(seed?.telling ?? {}))
    if (!(await happened.telling.signsWith(source, secret)))
      await happened.telling.makeSecret(source, 'demo', secret);
  const ready = (async () => {
    await present.start();
    await happened.start();
    await orders.start();
    await rounds.start();
    await outbox.start();
    await plans.runner.resume();
    await jobs.look();
    if (seed?.registry) await appDomains.set(seed.registry, 'demo');
    if (seed?.survey && (await surveys.list(1)).length === 0) await surveys.start('demo');
    isReading = false;
    askFirst();
    heads.start();
  })();
  // the caller awaits `ready` too; without a handler here an early failure would end the process
  ready.catch(() => undefined);

  const app: App = {
    ready,
    reading: async () => (isReading ? present.reading() : null),
    get isReading() {
      return isReading;
    },
    db,
    accounts,
    second,
    retention,
    mail,
    sso,
    scim: new Scim(db, ledger, admin, sso, clock),
    tokens,
    admin,
    ledger,
    heads,
    engine,
    findings,
    surveys,
    plans,
    tray,
    evidence: new Evidence(db, ledger, plans.queries, signing, clock),
    extracts,
    recognition,
    approvals,
    appDomains,
    scopes: new Scopes(db, ledger, engine, events, clock),
    partners: new Partners(db, ledger, engine, present, clock),
    tables: new Tables(
      {
        engine,
        findings,
        recognition,
        plans: plans.queries,
        ledger,
        policies,
        decisions,
        happened,
        orders,
        outbox,
        rounds,
      },
      clock,
    ),
    watch: new Watch(db, engine, findings, clock),
    views: new Views(db, clock),
    policies,
    decisions,
    happened,
    orders,
    rounds,
    alerts,
    outbox,
    schedule,
    planParts,
    clock,
    log,
    metrics,
    events,
    async course(account) {
      const [last] = await db.query<{ id: number; taken_at: Date }>(
        "select id, taken_at from survey where state = 'done' order by id desc limit 1",
      );
      const [counts] = await db.query<Omit<Course, 'survey' | 'farSide'>>(
        `select (select count(*)::int from finding where state in ('open', 'reopened')) as exposure,
                (select count(*)::int from plan where state = any($2)) as remedy,
                (select count(*)::int from custom_type where active) as guard,
                (select count(*)::int from policy where removed_at is null) as policies,
                (${SIGNALS_WAITING}) as signals,
                (select count(*)::int from question where round is not null and state = 'open') as asked,
                (select coalesce(max(seq), 0) from ledger) as record,
                (select count(*)::int from tray where account = $1) as tray`,
        [account, UNFINISHED],
      );
      return {
        ...counts!,
        farSide: seed?.farSide ?? null,
        guard: counts!.guard + DATA_TYPES.length,
        survey: {
          running: surveys.current() !== undefined,
          last: last?.taken_at.toISOString() ?? null,
          id: last?.id ?? null,
        },
      };
    },
    for: (account) => appFor(app, account),
    async close() {
      heads.stop();
      await heads.sign().catch(() => undefined);
      await surveys.close();
      await recognition.close();
      await happened.close();
      await orders.close();
      rounds.asking.close();
      await decisions.close();
      await jobs.close();
      mail.close();
      await engine.close();
      await db.close();
      unlock();
    },
  };
  return app;
}
