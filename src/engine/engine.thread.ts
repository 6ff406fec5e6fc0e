/**
 * The engine: surveys' organisations in memory as columns, in a thread of its own, and every question
 * about them. It reads the store and never writes. The present is kept; of the past, the two surveys last asked
 * for.
 */
import { setImmediate } from 'node:timers/promises';
import { workerData, type MessagePort } from 'node:worker_threads';
import { nodeOfItem } from '../core/access/organisation.ts';
import { nodesDown, why, whyNot } from '../core/access/questions.ts';
import { nameOrder } from '../core/name-order.ts';
import { findIdentity, isHidden } from '../core/access/view.ts';
import type { Held } from '../core/access/held.ts';
import { capabilityNames } from '../core/model.ts';
import { serve } from '../jobs/rpc.ts';
import { dbOver, type Db } from '../store/db.ts';
import type { ChangeRef, CutPage, CutProgress, PlanGoal } from '../dto/remedy.ts';
import type { WhyDto } from '../dto/access.ts';
import type { PlannedChange } from '../core/remedy/plan.ts';
import {
  appDossier,
  appFiles,
  apps,
  appsAt,
  appAsked,
  appDomains,
  appsKnown,
  lostBy,
  appsOf,
  appsOfPerson,
  scopeTable,
  type AppsQuery,
} from './apps.ts';
import { bookOf, readCharters } from './charters.ts';
import { causesAhead, causesWhere } from './causes.ts';
import { changeDossier, changes, type ChangesQuery } from './changes.ts';
import { entryRef, findNode, nodeRef, obstacleWords, pathOf, personRef, whereWords } from './describe.ts';
import { Difference, type Differing, type Known } from './differing.ts';
import { dossier, finding, routesOf, withdrawable, type EngineFinding } from './findings.ts';
import { exportLines, exportManifest, type ExportFile } from './export.ts';
import { routeGraph } from './graph.ts';
import { placed } from './happened.ts';
import {
  below,
  holdings,
  nodeDossier,
  placeNames,
  usedFrom,
  whoRows,
  type HoldingsQuery,
} from './holdings.ts';
import {
  bright,
  contentFiles,
  contents,
  samples,
  typeUse,
  unreadFiles,
  type ContentsQuery,
  type FilesQuery,
} from './contents.ts';
import { cuts, proveGoals, type CutQuery } from './cuts.ts';
import { changeRefs, preview } from './preview.ts';
import { cameBack, pointsOf, type Done } from './drift.ts';
import { quarantined } from './quarantine.ts';
import { crossAhead, crossItems, crossPage, takeRoom } from './crosstab.ts';
import { askAll, itemTest } from './facts.ts';
import { applies } from './applies.ts';
import { coverage } from './coverage.ts';
import { runPolicy } from './judged.ts';
import { holdingCosts } from './holding-costs.ts';
import { scopeNames } from './scope-names.ts';
import { decide, takePolicies } from './decide.ts';
import { trial } from './trial.ts';
import { around, checkPolicy, tryRule } from './guard.ts';
import { respond } from './respond.ts';
import {
  managersOf,
  peopleNamed,
  spacesOfKeys,
  spacesToAsk,
  stillThere,
  thingsToAsk,
  whoIsAsked,
} from './review.ts';
import { heldTo, touchesInside, type Touched } from './held.ts';
import { loadSurvey, movedOn, readPacks, reweighed, type Loaded } from './loaded.ts';
import { key, unkey } from './keys.ts';
import type { RowCount } from './rows.ts';
import { readApprovals, readBook, readLapsed } from './scopes.ts';
import { Snapshots } from './snapshots.ts';
import { options } from './options.ts';
import { spaceActivity, spacesShown } from './spaces.ts';
import {
  channelsOf,
  orderFits,
  orderSubjects,
  reachWithout,
  recipients,
  recipientsOfEach,
  stillSo,
  thingFacts,
  thingFits,
} from './orders.ts';
import {
  domains,
  domainsNamed,
  outside,
  outsideDossier,
  partnerPreview,
  type OutsideQuery,
} from './outside.ts';
import { identityDossier, knownOf, people, whatRows, type PeopleQuery } from './people.ts';
import { cheapestFix, sum } from './watch.ts';
import { servesWhat, usedSince } from '../core/access/usage.ts';

export type { EngineFinding } from './findings.ts';
export type { HoldingsQuery } from './holdings.ts';
export type { PeopleQuery } from './people.ts';
export type { ChangesQuery } from './changes.ts';
export type { ContentsQuery, FilesQuery } from './contents.ts';
export type { AppsQuery } from './apps.ts';
export type { OutsideQuery } from './outside.ts';

declare const BUILD: string | undefined;

const { port, snapshots: directory } = workerData as { port: MessagePort; snapshots: string };
/** Given once it is open; by then much of what was kept for this start is read. */
let db: Db;
const snapshots = new Snapshots(
  directory,
  (text) => process.stderr.write(`${text}\n`),
  typeof BUILD === 'undefined' ? undefined : BUILD,
);
snapshots.begin();

let present: Loaded | undefined;
/** Rows read so far of the survey that is being loaded, or was last. */
let rowsRead = 0;
const PAST_KEPT = 2;
/** So many findings are told at a stretch. */
const AT_ONCE = 200;
/** So many rows that changed are read from the store at a start, beside what was kept for it. */
const CHANGES_LEFT = 20_000;
/** So many exposures have their cheapest fix worked out ahead. */
const COSTLIEST = 10;
/** How far each cut is that is being worked out, by what whoever asks calls it; one that is taken out is left. */
const cutting = new Map<string, CutProgress>();
let past: Loaded[] = [];
/** Ends when the findings that are being told are told. */
let telling: Promise<unknown> = Promise.resolve();

/**
 * Brings a survey into force, or judges the one in force anew. One that follows on it is made from the rows in
 * memory and those that differ; any other is read, and made ready first, while the one before answers.
 */
async function take(survey: number, takenAt: string): Promise<RowCount[]> {
  const before = present;
  if (before && survey < before.survey)
    throw new Error(`Survey ${survey} is older than survey ${before.survey}, which is in force.`);
  snapshots.leave();
  const moved = before
    ? await movedOn(db, before, survey, takenAt)
    : await snapshots.read(db, survey, takenAt);
  const l = moved ?? (await loadSurvey(db, survey, takenAt, (rows) => (rowsRead = rows)));
  // what is in force answers while another is made ready
  if (before && !moved) for (const _ of ready(l)) await setImmediate();
  if (before && before.survey !== survey) past = [before, ...past].slice(0, PAST_KEPT);
  past = past.filter((p) => p.survey !== survey);
  present = l;
  ahead(l, ...(before && !moved ? [] : [ready(l)]), longer(l), kept(l, !moved), room(l, !before));
  return l.counts;
}

/** Keeps the rows for the next start, where that would have to read more than a little from the store. */
function* kept(l: Loaded, anew: boolean): Generator<unknown> {
  if (anew || snapshots.outdated || l.rows.changed > CHANGES_LEFT) yield snapshots.write(db, l);
}

/** The first wide table takes long to be given its room: it is made once, when nothing else is to be made ready. */
function* room(l: Loaded, first: boolean): Generator<unknown> {
  if (first) yield void takeRoom(l);
}

/** The exposures of the present that differ from what is known, in full; worked out a stretch at a time. */
function exposed(known: readonly Known[]): Promise<Differing<EngineFinding>> {
  if (!present) throw new Error('There is no survey yet.');
  const differing = differingFrom(present, known);
  telling = differing.catch(() => undefined);
  return differing;
}

async function differingFrom(l: Loaded, known: readonly Known[]): Promise<Differing<EngineFinding>> {
  const difference = new Difference<EngineFinding>(known);
  for (const [n, e] of l.exposures.entries()) {
    difference.take(l.org.itemIds.at(e.item), finding(l, e));
    if (n % AT_ONCE === 0) await setImmediate();
  }
  return difference.all();
}

/** Works out what the views of a survey rest on, a part at a time. */
function* ready(l: Loaded): Generator<void> {
  for (const part of [below, knownOf, domainsNamed]) yield void part(l);
  yield* crossAhead(l);
  yield void sum(l, undefined);
  for (const show of ['members', 'guests', 'groups'] as const)
    yield void people(l, { show, sort: [{ key: 'heavy', down: true }], limit: 1, offset: 0 });
  // the landing view asks for these all at once
  for (const { item } of l.exposures.slice(0, COSTLIEST)) {
    const { source, id } = unkey(l.org.itemIds.at(item));
    yield void cheapestFix(l, source, id);
  }
}

/** What takes longer, and is worked out once a survey is in force. */
function* longer(l: Loaded): Generator<unknown> {
  yield domains(l);
  yield* placeNames(l);
  yield* causesAhead(l);
  // whoever lets an app in does not wait for it
  if (l.kept.get('appGrant')?.size) yield void appsOf(l);
}

/**
 * Works out parts ahead of whoever asks, as long as a survey is the present; what is asked meanwhile comes in
 * between, and findings first. What fails here fails again, and is told, where it is asked for.
 */
function ahead(l: Loaded, ...lists: Generator<unknown>[]): void {
  const work = async (): Promise<void> => {
    for (const parts of lists)
      for (;;) {
        await setImmediate();
        await telling;
        if (present !== l) return;
        const part = parts.next();
        if (part.done) break;
        await part.value;
      }
  };
  work().catch(() => undefined);
}

/** The present weighed again, with the data types as they are set now. */
async function reweigh(): Promise<number | undefined> {
  if (!present) return undefined;
  const l = await reweighed(db, present);
  present = l;
  past = [];
  ahead(l, ready(l), longer(l));
  return l.survey;
}

/** A survey, the present where none is named; or the part of it that an account is held to. */
export type At = number | undefined | { survey?: number | undefined; held: readonly Held[] };

/** Packs as they are set now. */
async function repack(): Promise<void> {
  const byId = await readPacks(db);
  for (const l of present ? [present, ...past] : past) l.packs.byId = byId;
}

/** Charters as they are now. */
async function recharter(): Promise<void> {
  const book = bookOf(await readCharters(db));
  for (const l of present ? [present, ...past] : past) Object.assign(l.charters, book);
}

/** What scopes of apps allow, as it is now: what apps could read follows from it. */
async function rescope(): Promise<void> {
  const book = await readBook(db);
  for (const l of present ? [present, ...past] : past) l.scopes.book = book;
}

/** Which apps are approved now. */
async function reapprove(): Promise<void> {
  const approvals = await readApprovals(db);
  for (const l of present ? [present, ...past] : past) l.scopes.approvals = approvals;
}

/** Which domains of apps have lapsed, as it is known now. */
async function relapse(): Promise<void> {
  const lapsed = await readLapsed(db);
  for (const l of present ? [present, ...past] : past) l.scopes.lapsed = lapsed;
}

/** A survey's organisation; the present where none is named. Undefined where there is no such survey. */
async function at(asked?: At): Promise<Loaded | undefined> {
  if (typeof asked === 'object') {
    const whole = await at(asked.survey);
    return whole && heldTo(whole, asked.held);
  }
  const survey = asked;
  if (survey === undefined || survey === present?.survey) return present;
  const kept = past.find((p) => p.survey === survey);
  if (kept) return kept;
  const [row] = await db.query<{ taken_at: Date }>(
    "select taken_at from survey where id = $1 and state = 'done'",
    [survey],
  );
  if (!row) return undefined;
  const l = await loadSurvey(db, survey, row.taken_at.toISOString());
  past = [l, ...past].slice(0, PAST_KEPT);
  return l;
}

/** Answers from one survey, or undefined where there is none. */
const from =
  <A extends unknown[], T>(answer: (l: Loaded, ...args: A) => T) =>
  async (survey: At, ...args: A): Promise<T | undefined> => {
    const l = await at(survey);
    return l && answer(l, ...args);
  };

/** The same of a question that a filter over items is part of: every node is asked first, a part at a time. */
const fromItems =
  <Q extends { where?: string | undefined }, A extends unknown[], T>(
    answer: (l: Loaded, q: Q, ...args: A) => T,
  ) =>
  async (survey: At, signal: AbortSignal | undefined, q: Q, ...args: A): Promise<T | undefined> => {
    const l = await at(survey);
    if (l && q.where) await askAll(l, q.where, signal);
    return l && answer(l, q, ...args);
  };

function whyDto(l: Loaded, node: string, who: string): WhyDto | undefined {
  const n = findNode(l, node);
  if (n < 0) return undefined;
  const identity = findIdentity(l.view, who);
  const user = l.org.find('user', who);
  if (identity < 0 && user < 0) return undefined;
  const took = usedSince(l.org, l.usage, n, usedFrom(l)).get(identity) ?? 0;
  const answer = identity < 0 ? { bits: 0, routes: [], withheld: [] } : why(l.view, identity, n);
  const person = l.org.users[user];
  return {
    person:
      identity >= 0
        ? personRef(l, identity)
        : { id: who, name: person!.name, address: person!.addresses[0] ?? who, kind: person!.kind },
    node: nodeRef(l, n),
    path: pathOf(l, n),
    capabilities: capabilityNames(answer.bits),
    routes: answer.routes.map((r) => ({
      role: r.role,
      capabilities: capabilityNames(r.bits),
      groups: r.groups.map((g) => ({ key: `group:${l.org.groups[g]!.id}`, name: l.org.groups[g]!.name })),
      ...(r.as && { as: r.as }),
      through:
        typeof r.source.entry === 'number'
          ? entryRef(l, r.source.entry)
          : { kind: r.source.entry, name: nodeRef(l, r.source.at).name },
      down: nodesDown(l.org, r.source).map((x) => nodeRef(l, x)),
      used: servesWhat(r.bits, took),
    })),
    keeps: whyNot(l.view, identity < 0 ? user : identity, n).map((o) => obstacleWords(l, n, o)),
  };
}

/** Everything by name, for the command line: spaces and groups first, then people, then items. */
function search(
  l: Loaded,
  text: string,
  limit: number,
): { kind: string; key: string; name: string; detail: string }[] {
  const wanted = text.toLowerCase();
  const found: { kind: string; key: string; name: string; detail: string }[] = [];
  const take = (kind: string, k: string, name: string, detail: () => string): void => {
    if (found.length < limit && name.toLowerCase().includes(wanted))
      found.push({ kind, key: k, name, detail: detail() });
  };
  l.org.spaces.forEach(
    (s, n) => l.org.spaceListed[n] && take('space', `space:${s.id}`, s.name, () => s.kind.replace('-', ' ')),
  );
  const { hidden } = l.org;
  l.org.groups.forEach((g, n) => hidden?.group[n] || take('group', `group:${g.id}`, g.name, () => 'group'));
  l.org.users.forEach(
    (u, n) => hidden?.user[n] || take('person', `user:${u.id}`, u.name, () => u.addresses[0] ?? ''),
  );
  l.view.outsiders.forEach(
    (a, n) =>
      isHidden(l.view, l.org.users.length + n) || take('person', `outsider:${a}`, a, () => 'outsider'),
  );
  for (let i = 0; i < l.items.length && found.length < limit; i++)
    take(l.items.isFile[i] ? 'file' : 'folder', `item:${l.org.itemIds.at(i)}`, l.items.name(i), () =>
      whereWords(l, nodeOfItem(l.org, i)),
    );
  return found;
}

const functions = {
  connect: (dbPort: MessagePort) => void (db = dbOver(dbPort)),
  rowsRead: () => rowsRead,
  /** Surveys before this number were dropped. */
  async forget(before: number) {
    past = past.filter((p) => p.survey >= before);
    // what was kept for the next start may be of a survey that is gone
    await snapshots.drop();
    if (present) await snapshots.write(db, present);
  },
  take,
  reweigh,
  exposed,
  repack,
  recharter,
  rescope,
  reapprove,
  relapse,
  apps: from((l, q: AppsQuery) => apps(l, q)),
  app: from(appDossier),
  appFiles: from(appFiles),
  appsAt: from(appsAt),
  appsOfPerson: from(appsOfPerson),
  scopeTable: from(scopeTable),
  appsKnown: from(appsKnown),
  appDomains: from(appDomains),
  appAsked: from(appAsked),
  lostBy: from(lostBy),
  spacesOfKeys: from(spacesOfKeys),
  spacesShown: from(spacesShown),
  spaceActivity: from(spaceActivity),
  bright: from(bright),
  contents: from((l, q: ContentsQuery) => contents(l, q)),
  contentFiles: from((l, q: FilesQuery) => contentFiles(l, q)),
  unreadFiles: from(unreadFiles),
  causes: from(causesWhere),
  cross: fromItems(crossPage),
  crossItems: fromItems(crossItems),
  cuts: async (now: At, q: CutQuery, asked: string): Promise<CutPage | undefined> => {
    const l = await at(now);
    if (!l) return undefined;
    try {
      for (const parts = cuts(l, q); ;) {
        const part = parts.next();
        if (part.done) return part.value;
        cutting.set(asked, part.value);
        await setImmediate();
        if (!cutting.has(asked)) return undefined;
      }
    } finally {
      cutting.delete(asked);
    }
  },
  cutProgress: (asked: string) => cutting.get(asked),
  stopCut: (asked: string) => cutting.delete(asked),
  sum: async (now: At, before?: At) => {
    const l = await at(now);
    return l && sum(l, before === undefined ? undefined : await at(before));
  },
  cheapestFix: from(cheapestFix),
  outside: from((l, q: OutsideQuery) => outside(l, q)),
  outsideDossier: from(outsideDossier),
  partnerPreview: from(partnerPreview),
  typeUse: from(typeUse),
  samples: from(samples),
  dossier: from(dossier),
  withdrawable: async (now: At, items: { source: string; item: string }[]) => {
    const l = await at(now);
    return l ? withdrawable(l, items) : { changes: [], of: 0 };
  },
  changeRefs: async (now: At, changes: PlannedChange[]): Promise<ChangeRef[]> => {
    const l = await at(now);
    return l ? changeRefs(l, changes) : [];
  },
  preview: from(preview),
  /** Which of some items, and of what changes were of, are in what is asked of; and of which workspaces it has something. */
  inside: from((l, items: { source: string; item: string; open?: string }[]) =>
    items.map(({ source, item, open }) =>
      open?.startsWith('space:') ? findNode(l, open) >= 0 : l.org.find('item', key(source, item)) >= 0,
    ),
  ),
  nodesInside: from((l, rows: Touched[]) => rows.map((r) => touchesInside(l, r))),
  departments: from((l) => [...new Set(l.org.users.flatMap((u) => u.department ?? []))].sort(nameOrder)),
  workspacesInside: from((l) => [...new Set(l.org.spaces.map((s) => unkey(s.id).source))]),
  prove: (goals: PlanGoal[], items: { source: string; item: string }[]) =>
    present && {
      survey: present.survey,
      goals: proveGoals(present, goals),
      points: pointsOf(present, items),
    },
  cameBack: (list: Done[]) =>
    present && { survey: present.survey, back: list.map((d) => cameBack(present!, d)) },
  runPolicy: from(runPolicy),
  respond: from(respond),
  around: from(around),
  trial: from(trial),
  coverage: from(coverage),
  applies: from(applies),
  holdingCosts: from(holdingCosts),
  scopeNames: from(scopeNames),
  takePolicies,
  decide: from(decide),
  placed: from(placed),
  orderFits: from(orderFits),
  orderSubjects: from(orderSubjects),
  recipients: from(recipients),
  recipientsOfEach: from(recipientsOfEach),
  reachWithout: from(reachWithout),
  stillSo: from(stillSo),
  thingFacts: from(thingFacts),
  thingFits: from(thingFits),
  channels: from(channelsOf),
  spacesToAsk: from(spacesToAsk),
  thingsToAsk: from(thingsToAsk),
  whoIsAsked: from(whoIsAsked),
  managersOf: from(managersOf),
  peopleNamed: from(peopleNamed),
  stillThere: from(stillThere),
  tryRule: from(tryRule),
  checkPolicy: from(checkPolicy),
  quarantined: from(quarantined),
  options: from(options),
  holdings: fromItems((l, q: HoldingsQuery) => holdings(l, q, itemTest(l, q.where))),
  node: from((l, name: string) => nodeDossier(l, name)),
  routes: from((l, name: string) => {
    const node = findNode(l, name);
    return node < 0 ? undefined : routesOf(l, node);
  }),
  graph: from((l, name: string, app?: string) => routeGraph(l, name, app)),
  who: from(whoRows),
  why: from(whyDto),
  people: from((l, q: PeopleQuery) => people(l, q)),
  identity: from((l, k: string) => identityDossier(l, k)),
  what: from(whatRows),
  search: from(search),
  exportManifest: from(exportManifest),
  exportLines: from((l, file: ExportFile, start: number) => exportLines(l, file, start)),
  problems: from((l) => ({ total: l.org.problems.length, first: l.org.problems.slice(0, 500) })),
  changes: async (a: At, b: At, q: ChangesQuery) => {
    const [x, y] = [await at(a), await at(b)];
    return x && y && changes(x, y, q);
  },
  change: async (a: At, b: At, k: string) => {
    const [x, y] = [await at(a), await at(b)];
    return x && y && changeDossier(x, y, k);
  },
};
export type EngineFunctions = typeof functions;
serve(port, functions);
