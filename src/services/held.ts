/**
 * The application as an account sees it that is held to a part. What is named here is what there is for it; everything
 * else is refused, so that what is added later is closed to it until somebody has thought of it here.
 */
import type { Held } from '../core/access/held.ts';
import { UNFINISHED } from '../core/remedy/states.ts';
import type { Account, Course } from '../dto/accounts.ts';
import type { FindingEvent } from '../dto/exposure.ts';
import type { PlanRow } from '../dto/remedy.ts';
import type { Engine } from '../engine/engine.ts';
import type { At } from '../engine/engine.thread.ts';
import type { App } from './app-parts.ts';
import { AppError } from './errors.ts';
import type { Findings } from './findings.ts';
import { Drafts } from './plans/drafts.ts';
import { Tables } from './tables/export.ts';
import { Tray } from './tray.ts';

const refuse = (): never => {
  throw new AppError(
    'held',
    403,
    'Your account is limited to a part of the organisation. This is about all of it.',
  );
};

/** Gives what is allowed of something; whatever else is asked of it is refused. */
function only<T extends object>(allowed: Partial<T>): T {
  return new Proxy(allowed as T, {
    get: (of, name) =>
      name in of || name === 'then' || typeof name === 'symbol'
        ? (Reflect.get(of, name) as unknown)
        : refuse(),
  });
}

/** Some methods of a service, as they are. */
const some = <T extends object, K extends keyof T>(service: T, ...names: K[]): Partial<T> =>
  Object.fromEntries(
    names.map((name) => {
      const member = service[name];
      return [name, typeof member === 'function' ? (member.bind(service) as unknown) : member];
    }),
  ) as Partial<T>;

/** A service that works with others than its own. */
const rebound = <T extends object>(service: T, own: object): T =>
  Object.assign(Object.create(service) as T, own);

/** Questions that are asked of one survey, which comes first. */
const OF_ONE = [
  'bright',
  'contents',
  'contentFiles',
  'holdingCosts',
  'unreadFiles',
  'causes',
  'cross',
  'crossItems',
  'cuts',
  'cheapestFix',
  'apps',
  'app',
  'appFiles',
  'appsAt',
  'appsOfPerson',
  'outside',
  'outsideDossier',
  'partnerPreview',
  'typeUse',
  'samples',
  'dossier',
  'withdrawable',
  'changeRefs',
  'preview',
  'quarantined',
  'options',
  'holdings',
  'node',
  'routes',
  'graph',
  'who',
  'why',
  'people',
  'identity',
  'what',
  'search',
  'exportManifest',
  'exportLines',
  'inside',
  'nodesInside',
  'workspacesInside',
] as const;
/** Questions that are asked of two. */
const OF_TWO = ['sum', 'changes', 'change'] as const;

type Ask = Engine['ask'];
type Asking = (...args: unknown[]) => Promise<unknown>;

/** The engine, asked about the part alone. */
function heldEngine(engine: Engine, held: readonly Held[]): Engine {
  const part = (survey: unknown): At => ({ survey: survey as number | undefined, held });
  const ask: Record<string, Asking> = {};
  for (const name of OF_ONE)
    ask[name] = (survey, ...args) => (engine.ask[name] as Asking)(part(survey), ...args);
  for (const name of OF_TWO)
    ask[name] = (a, b, ...args) =>
      // the sum of one survey alone is held to nothing before it
      (engine.ask[name] as Asking)(part(a), name === 'sum' && b === undefined ? b : part(b), ...args);
  Object.assign(ask, some(engine.ask, 'cutProgress', 'stopCut'));
  return only<Engine>({ ask: only(ask as unknown as Partial<Ask>) });
}

/** The application for an account: the whole, or what there is of it for one that is held to a part. */
export function appFor(app: App, account: Account | undefined): App {
  if (!account?.held) return app;
  const engine = heldEngine(app.engine, account.held);
  const { db, ledger } = app;
  const note = only(some(ledger, 'add'));
  const planIds = async (): Promise<Set<number>> => {
    const rows = await db.query<{
      plan: number;
      source: string;
      kind: string;
      object: string;
      before: object;
    }>('select plan, source, kind, object, before from plan_change');
    const inside =
      (await engine.ask.nodesInside(
        undefined,
        rows.map(({ source, kind, object, before }) => ({ source, kind, object, before })),
      )) ?? [];
    const ids = new Set(rows.map((r) => r.plan));
    rows.forEach((r, i) => inside[i] || ids.delete(r.plan));
    return ids;
  };
  const mustSee = async (plan: number): Promise<void> => {
    if (!(await planIds()).has(plan)) throw new AppError('no-plan', 404, 'There is no plan of this number.');
  };
  const findings = heldFindings(app.findings, engine, JSON.stringify(account.held), planIds);
  const trayOf = new Tray(db, engine);
  const tray = rebound(trayOf, {
    pickUp: async (...[id, changes, goal]: Parameters<Tray['pickUp']>) => {
      const inside = goal && ((await engine.ask.inside(undefined, goal.items)) ?? []);
      if (inside && !inside.every(Boolean))
        throw new AppError(
          'not-there',
          404,
          'Some of what this goal is about is not in the survey in force.',
        );
      return trayOf.pickUp(id, changes, goal);
    },
  });
  const { queries, drafts, runner, limits } = app.plans;
  const heldQueries = only<typeof queries>({
    list: async (q): Promise<PlanRow[]> => {
      const ids = await planIds();
      return (await queries.list(q)).filter((p) => ids.has(p.id));
    },
    one: async (id) => ((await planIds()).has(id) ? queries.one(id) : undefined),
    quarantine: async () => {
      const ids = await planIds();
      const rows = await rebound(queries, { parts: { db, engine } }).quarantine();
      return rows.map(({ plan, ...r }) => ({ ...r, ...(plan && ids.has(plan.id) && { plan }) }));
    },
  });
  /** The same, where the plan that comes first is one that is seen. */
  const ofPlans = <T extends object>(service: T, ...names: (keyof T)[]): Partial<T> =>
    Object.fromEntries(
      names.map((name) => [
        name,
        async (plan: number, ...args: unknown[]) => {
          await mustSee(plan);
          return (service[name] as Asking).call(service, plan, ...args);
        },
      ]),
    ) as Partial<T>;
  const own = new Drafts({ ...app.planParts, engine, tray });
  const recognition = rebound(app.recognition, { engine });
  const heldRecognition = only<typeof recognition>({
    ...some(recognition, 'types', 'type', 'packs', 'words', 'typesOf', 'scannedAt', 'bench', 'tryType'),
    scanItem: async (source, item, by) => {
      const [inside] = (await engine.ask.inside(undefined, [{ source, item }])) ?? [];
      if (!inside) throw new AppError('not-there', 404, 'There is no such file.');
      return app.recognition.scanItem(source, item, by);
    },
  });
  const watch = rebound(app.watch, { engine, findings, held: true });
  const evidence = rebound(app.evidence, { plans: heldQueries });
  const extracts = rebound(app.extracts, { engine });
  const partners = rebound(app.partners, { engine });
  return only<App>({
    engine,
    findings,
    tray,
    watch: only(some(watch, 'sum', 'page')),
    evidence: only(some(evidence, 'key', 'ofPlan')),
    extracts: only(some(extracts, 'export')),
    partners: only(some(partners, 'dossier')),
    recognition: heldRecognition,
    plans: only<typeof app.plans>({
      queries: heldQueries,
      limits: only(some(limits, 'state')),
      drafts: only<typeof drafts>({
        make: own.make.bind(own),
        ...ofPlans(drafts, 'discard', 'renew', 'ask', 'decide'),
      }),
      runner: only<typeof runner>(
        ofPlans(
          runner,
          'apply',
          'retry',
          'pause',
          'goOn',
          'cancel',
          'schedule',
          'unschedule',
          'undo',
          'askUndo',
          'decideUndo',
        ),
      ),
    }),
    tables: new Tables(
      {
        engine,
        findings,
        recognition: heldRecognition,
        plans: heldQueries,
        ledger: note,
        policies: only<typeof app.policies>({}),
        decisions: only<typeof app.decisions>({}),
        happened: only<typeof app.happened>({}),
        outbox: only<typeof app.outbox>({}),
        orders: only<typeof app.orders>({}),
        rounds: only<typeof app.rounds>({}),
      },
      app.clock,
    ),
    // how one wants to be told, and what one is asked, is one's own
    outbox: only<typeof app.outbox>(some(app.outbox, 'ownWish', 'setWish')),
    orders: only<typeof app.orders>({
      questions: only<typeof app.orders.questions>(some(app.orders.questions, 'listFor', 'openAs', 'answer')),
    }),
    rounds: only<typeof app.rounds>({
      desk: only<typeof app.rounds.desk>(some(app.rounds.desk, 'list', 'page', 'put')),
    }),
    surveys: only<typeof app.surveys>({
      list: async () =>
        (await app.surveys.list()).map((s) => ({
          ...s,
          reason: null,
          plan: null,
          failures: 0,
          added: 0,
          altered: 0,
          removed: 0,
          steps: [],
        })),
      sources: async () => {
        const inside = new Set(await engine.ask.workspacesInside(undefined));
        return (await app.surveys.sources())
          .filter((s) => inside.has(s.id))
          .map((s) => ({ ...s, url: '', trouble: null, counts: {} }));
      },
    }),
    views: only<typeof app.views>({
      ...some(app.views, 'keep', 'drop'),
      // what others named may name what is not in this part
      list: async (a) => (await app.views.list(a)).filter((v) => !v.by),
    }),
    events: only<typeof app.events>({
      ...some(app.events, 'attach', 'endOf'),
      listen: (listener) => app.events.listen((e) => e.type === 'present' && listener(e)),
    }),
    course: async (id): Promise<Course> => {
      const whole = await app.course(id);
      const plans = await heldQueries.list();
      return {
        ...whole,
        survey: { ...whole.survey, running: false },
        exposure: (await findings.fitting({ state: 'open' })).length,
        remedy: plans.filter((p) => UNFINISHED.includes(p.state)).length,
        record: 0,
        policies: 0,
        signals: 0,
        asked: 0,
      };
    },
    accounts: only<typeof app.accounts>(
      some(
        app.accounts,
        'stewards',
        'signOut',
        'sessions',
        'endSession',
        'changePassword',
        'hasPassword',
        'prove',
        'demands',
        'strengthened',
        'forget',
        'isGood',
        'setDates',
      ),
    ),
    second: app.second,
    tokens: app.tokens,
    reading: () => app.reading(),
  });
}

/** The findings of what is in the part; those of files that are gone are the whole organisation’s. */
function heldFindings(
  findings: Findings,
  engine: Engine,
  name: string,
  planIds: () => Promise<Set<number>>,
): Findings {
  const part = findings.within(name, async (rows) => (await engine.ask.inside(undefined, [...rows])) ?? []);
  return only<Findings>({
    ...some(part, 'list', 'groups', 'fitting', 'row'),
    one: async (id) => {
      const found = await part.one(id);
      if (!found) return undefined;
      const ids = await planIds();
      const history = found.history.map((h): FindingEvent =>
        h.plan !== null && !ids.has(h.plan) ? { ...h, plan: null, planName: null } : h,
      );
      return { ...found, history };
    },
    triage: async (ids, t, by) => {
      for (const id of ids)
        if (!(await part.row(id)))
          throw new AppError('no-finding', 404, 'One of these findings is not there.');
      return findings.triage(ids, t, by);
    },
  });
}
