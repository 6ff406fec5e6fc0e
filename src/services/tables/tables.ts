/** What each table reads its rows from, and its columns when it is exported. No raw value is in any. */
import { TIERS } from '../../core/model.ts';
import type { Cell } from '../../formats/table.ts';
import type { CrossCell, CrossPage } from '../../dto/exposure.ts';
import type { QueryOfTable, TableName } from '../../dto/tables.ts';
import type { Engine } from '../../engine/engine.ts';
import type { Findings } from '../findings.ts';
import type { Ledger } from '../ledger.ts';
import type { Decisions } from '../decisions.ts';
import type { Happenings } from '../happened/happenings.ts';
import type { Outbox } from '../messages/outbox.ts';
import type { Orders } from '../orders/orders.ts';
import type { Policies } from '../policies/policies.ts';
import type { PlanQueries } from '../plans/queries.ts';
import type { Rounds } from '../review/rounds.ts';
import type { Recognition } from '../recognition.ts';

/** What tables are read from. */
export interface TableParts {
  engine: { ask: Engine['ask'] };
  findings: Findings;
  recognition: Recognition;
  plans: PlanQueries;
  ledger: Ledger;
  policies: Policies;
  decisions: Decisions;
  happened: Happenings;
  orders: Orders;
  outbox: Outbox;
  rounds: Pick<Rounds, 'charters' | 'answers'>;
}
export interface PageOf {
  limit: number;
  offset: number;
}
export type FlatRow = Record<string, Cell>;

interface Table<Q, Page, Row> {
  /** A page of the rows; undefined where the survey that is asked for is not there. */
  read(parts: TableParts, query: Q, page: PageOf, signal?: AbortSignal): Promise<Page | undefined>;
  /** It gives all rows at once, whatever page is asked for. */
  whole?: true;
  /** The rows of a page, where they are not its `rows`. */
  rowsOf?(page: Page): Row[];
  /** One row as it is exported. */
  flat: (row: Row, n: number, page: Page) => FlatRow;
}
const table = <T extends TableName, Page extends { rows: unknown[] }>(
  _name: T,
  declared: Table<QueryOfTable<T>, Page, Page['rows'][number]>,
): Table<QueryOfTable<T>, Page, Page['rows'][number]> => declared;

const types = (list: readonly { name: string; distinct: number }[]): string =>
  list.map((t) => `${t.name} × ${t.distinct}`).join('; ');

export const TABLE = {
  findings: table('findings', {
    read: ({ findings }, q, page) => findings.list({ ...q, ...page, brief: false }),
    flat: ({ summary: s, ...r }) => ({
      finding: r.id,
      state: r.state,
      severity: r.severity,
      points: r.points,
      file: s.name,
      space: s.space,
      path: s.path,
      owner: s.owner ?? '',
      weight: r.weight,
      reach: r.now,
      could: r.could,
      contains: types(s.types),
      through: s.through.join('; '),
      domains: s.domains.join('; '),
      acceptedUntil: r.accepted?.until ?? '',
      reason: r.accepted?.reason ?? '',
      assignedTo: r.assignee ?? '',
      notes: r.notes,
      opened: r.opened ?? '',
      kind: r.kind,
      rule: s.breach?.ruleName ?? '',
      policy: s.breach?.policyName ?? '',
      source: r.source,
      item: r.item,
    }),
  }),
  hits: table('hits', {
    read: ({ policies }, q, page) => policies.hits(q, page),
    flat: (h) => ({
      policy: h.policyName,
      rule: h.ruleName,
      severity: h.severity,
      state: h.state,
      subject: h.subject,
      name: h.name,
      where: h.where,
      because: h.values
        .map(
          ([field, value]) =>
            `${field}: ${Array.isArray(value) ? value.join(', ') : String(value ?? 'none')}`,
        )
        .join('; '),
      since: h.since,
      overAt: h.overAt ?? '',
      version: h.version,
      key: h.key,
    }),
  }),
  decisions: table('decisions', {
    read: ({ decisions }, q, page) => decisions.list(q, page),
    flat: (d) => ({
      at: d.at,
      workspace: d.source,
      outcome: d.outcome,
      action: d.action,
      who: d.actorName,
      what: d.name,
      where: d.where,
      target: d.target,
      said: d.said ?? '',
      reason: d.reason ?? '',
      policy: d.policyName ?? '',
      rule: d.ruleName ?? '',
      version: d.version ?? '',
    }),
  }),
  events: table('events', {
    read: ({ happened }, q, page) => happened.log.list(q, page),
    flat: (e) => ({
      at: e.at,
      type: e.type,
      who: e.actorName || e.actor,
      department: e.department,
      what: e.name || e.item || e.space,
      where: e.path,
      weight: e.weight,
      types: e.types.join('; '),
      target: e.target,
      outside: e.outside,
      role: e.role,
      device: e.device,
      address: e.address,
      toldBy: e.toldBy,
      receivedAt: e.receivedAt,
      source: e.source,
      id: e.id,
    }),
  }),
  signals: table('signals', {
    read: ({ happened }, q, page) => happened.signals.list(q, page),
    flat: (s) => ({
      signal: s.id,
      name: s.parts.map((p) => p.name).join('; '),
      severity: s.severity,
      state: s.state,
      of: [...new Set(s.parts.map((p) => p.keyName))].join('; '),
      from: s.from,
      to: s.to,
      events: s.events,
      lookedBy: s.looked?.by ?? '',
      note: s.looked?.note ?? '',
    }),
  }),
  runs: table('runs', {
    read: ({ orders }, q, page) => orders.runList(q, page),
    flat: (r) => ({
      run: r.id,
      order: r.orderName,
      severity: r.severity,
      state: r.state,
      step: r.step,
      due: r.due ?? '',
      who: r.actor,
      what: r.thing,
      things: r.things,
      began: r.beganAt,
      ended: r.endedAt ?? '',
      trouble: r.trouble ?? '',
    }),
  }),
  messages: table('messages', {
    read: ({ outbox }, q, page) => outbox.list(q, page),
    flat: (m) => ({
      message: m.id,
      way: m.way,
      to: m.recipient,
      name: m.name,
      severity: m.severity,
      kind: m.kind,
      subject: m.subject,
      state: m.state,
      made: m.madeAt,
      sent: m.sentAt ?? '',
      trouble: m.trouble ?? '',
    }),
  }),
  causes: table('causes', {
    whole: true,
    read: ({ engine }, { asOf, ...q }) => engine.ask.causes(asOf, q),
    flat: (c, n) => ({
      rank: n + 1,
      cause: c.words,
      kind: c.kind,
      points: c.points,
      findings: c.findings,
      together: c.together,
      members: c.members,
      others: c.external,
      on: c.node?.name ?? '',
      madeBy: c.entry?.madeBy ?? '',
      madeAt: c.entry?.madeAt ?? '',
    }),
  }),
  contents: table('contents', {
    whole: true,
    read: async ({ engine, recognition }, { asOf, pack, ...q }) =>
      engine.ask.contents(asOf, { ...q, types: await recognition.typesOf(pack) }),
    flat: (r) => ({
      dataType: r.name,
      id: r.type,
      weight: r.weight,
      workspace: r.workspace ?? '',
      files: r.files,
      occurrences: r.occurrences,
      owners: r.owners,
      ...Object.fromEntries(TIERS.map((t, k) => [t, r.tiers[k]!])),
    }),
  }),
  'content-files': table('content-files', {
    read: async ({ engine, recognition }, { asOf, pack, type, ...q }, page) => {
      const found = await engine.ask.contentFiles(asOf, {
        ...q,
        ...page,
        types: await recognition.typesOf(pack, type),
      });
      return found && { ...found, rows: await recognition.scannedAt(found.rows) };
    },
    flat: (r) => ({
      file: r.name,
      path: r.path,
      owner: r.owner ?? '',
      weight: r.weight,
      reach: r.now,
      could: r.could,
      contains: types(r.types),
      occurrences: r.occurrences,
      certainty: r.certainty,
      scannedAt: r.scannedAt ?? '',
      source: r.source,
      item: r.item,
    }),
  }),
  unread: table('unread', {
    read: async ({ engine, recognition }, { asOf, ...q }, page) => {
      const found = await engine.ask.unreadFiles(asOf, { ...q, ...page });
      return found && { ...found, rows: await recognition.scannedAt(found.rows) };
    },
    flat: (r) => ({
      file: r.name,
      path: r.path,
      owner: r.owner ?? '',
      bytes: r.bytes,
      reason: r.reason,
      reach: r.now,
      could: r.could,
      source: r.source,
      item: r.item,
    }),
  }),
  apps: table('apps', {
    read: ({ engine }, { asOf, ...q }, page) => engine.ask.apps(asOf, { ...q, ...page }),
    flat: (r) => ({
      app: r.name,
      publisher: r.publisher,
      verified: r.verified,
      category: r.category,
      workspace: r.workspace,
      people: r.people,
      everyone: r.everyone,
      items: r.items,
      files: r.files,
      heavy: r.heavy,
      ...Object.fromEntries(r.byWeight.map((n, w) => [`weight${w}`, n])),
      points: r.points,
      severity: r.severity,
      lastUsed: r.lastUsed ?? '',
      made: r.made ?? '',
      key: r.key,
    }),
  }),
  outside: table('outside', {
    whole: true,
    read: ({ engine }, { asOf, ...q }) => engine.ask.outside(asOf, q),
    flat: (r) => ({
      domain: r.domain,
      standing: r.standing,
      freeMailboxes: r.consumer,
      looksLike: r.likens?.domain ?? '',
      people: r.people,
      everybody: r.whole,
      shared: r.shares,
      onSpaces: r.levels.space,
      onFolders: r.levels.folder,
      onFiles: r.levels.file,
      files: r.files,
      heavy: r.heavy,
      heaviest: r.heaviest,
      points: r.points,
      by: r.sharers.map((s) => s.name).join('; '),
      since: r.since ?? '',
      lastUsed: r.lastUsed ?? '',
    }),
  }),
  spaces: table('spaces', {
    read: ({ rounds }, q, page) => rounds.charters.spaces({ ...q, ...page }),
    flat: (r) => ({
      space: r.name,
      kind: r.kind,
      workspace: r.workspace,
      owners: r.owners.map((o) => (o.active ? o.name : `${o.name} (inactive)`)).join('; '),
      idleDays: r.idleDays,
      limit: r.limit,
      lastActivity: r.last ?? '',
      files: r.files,
      bytes: r.bytes,
      weight: r.weight,
      external: r.external,
      purpose: r.charter?.purposeName ?? '',
      sensitivity: r.charter?.sensitivityName ?? '',
      differs: r.differs.map((d) => `${d.setting}: ${d.is}, not ${d.wanted}`).join('; '),
      keptUntil: r.keptUntil ?? '',
      asked: r.asked?.of.join('; ') ?? '',
      archived: r.archived,
      deleted: r.binned,
      key: r.key,
    }),
  }),
  answers: table('answers', {
    read: ({ rounds }, q, page) => rounds.answers(q, page),
    flat: (a) => ({
      space: a.space,
      about: a.name,
      detail: a.detail,
      asked: a.asked.join('; '),
      answer: a.answer?.what ?? '',
      until: a.answer?.until ?? '',
      by: a.answer?.by ?? '',
      how: a.answer?.how ?? '',
      at: a.answer?.at ?? '',
      reason: a.answer?.reason ?? '',
      outcome: a.outcome ?? '',
      why: a.why ?? '',
      plan: a.plan ?? '',
    }),
  }),
  holdings: table('holdings', {
    read: ({ engine }, { asOf, ...q }, page, signal) => engine.ask.holdings(asOf, signal, { ...q, ...page }),
    flat: (r) => ({
      kind: r.spaceKind ?? r.kind,
      name: r.name,
      path: r.path ?? '',
      reach: r.now,
      could: r.could,
      weight: r.weight,
      files: r.files,
      exposed: r.exposed,
      members: r.members,
      external: r.external,
      owners: r.owners.join('; '),
      lastActivity: r.lastActivity ?? '',
      bytes: r.bytes,
      key: r.key,
    }),
  }),
  people: table('people', {
    read: ({ engine }, { asOf, ...q }, page) => engine.ask.people(asOf, { ...q, ...page }),
    flat: (r) => ({
      kind: r.kind,
      name: r.name,
      detail: r.detail,
      files: r.items,
      heavy: r.heavy,
      members: r.members ?? '',
      external: r.external ?? '',
      grants: r.grants,
      noted: r.flags.join('; '),
      key: r.key,
    }),
  }),
  changes: table('changes', {
    read: ({ engine }, { from, to, ...q }, page) => engine.ask.changes(from, to, { ...q, ...page }),
    flat: (r) => ({
      change: r.change,
      kind: r.kind,
      name: r.name,
      path: r.path,
      weight: r.weight,
      reachBefore: r.before?.now ?? '',
      couldBefore: r.before?.could ?? '',
      reachAfter: r.after?.now ?? '',
      couldAfter: r.after?.could ?? '',
      gained: r.gained,
      lost: r.lost,
      by: r.by,
      key: r.key,
    }),
  }),
  cross: {
    whole: true,
    read: ({ engine }, { asOf, ...q }, _, signal) => engine.ask.cross(asOf, signal, q),
    rowsOf: (page) => page.cells,
    flat: (c, _, page) => ({
      ...Object.fromEntries(
        page.by.map((b, k) => [b, c.at[k] === null ? 'all' : page.values[k]![c.at[k]!]!]),
      ),
      ...Object.fromEntries(page.measures.map((m, k) => [m, c.values[k]!])),
    }),
  } satisfies Table<QueryOfTable<'cross'>, CrossPage, CrossCell>,
  'cross-files': table('cross-files', {
    read: ({ engine }, { asOf, at, ...q }, page, signal) => engine.ask.crossItems(asOf, signal, q, at, page),
    flat: (r) => ({
      file: r.name,
      path: r.path,
      kind: r.kind,
      owner: r.owner ?? '',
      weight: r.weight,
      reach: r.now,
      could: r.could,
      points: r.points,
      contains: r.types.join('; '),
      bytes: r.bytes,
      key: r.key,
    }),
  }),
  plans: table('plans', {
    whole: true,
    read: async ({ plans }, q) => ({ rows: await plans.list(q) }),
    flat: (p) => ({
      plan: p.id,
      name: p.name,
      reason: p.reason,
      state: p.state,
      changes: p.changes,
      verified: p.verified,
      troubled: p.troubled,
      cameBack: p.drifted,
      goalsUnmet: p.unmet,
      madeBy: p.madeBy,
      madeAt: p.madeAt,
      appliedAt: p.appliedAt ?? '',
      finishedAt: p.finishedAt ?? '',
      scheduledFor: p.scheduledFor ?? '',
      survey: p.survey,
    }),
  }),
  quarantine: table('quarantine', {
    whole: true,
    read: async ({ plans }) => ({ rows: await plans.quarantine() }),
    flat: (r) => ({
      name: r.name,
      kind: r.kind,
      space: r.space,
      workspace: r.workspace,
      weight: r.weight,
      files: r.files,
      owner: r.owner ?? '',
      reachIfReleased: r.back.now,
      couldIfReleased: r.back.could,
      peopleIfReleased: r.back.people,
      plan: r.plan?.name ?? '',
      by: r.plan?.by ?? '',
      since: r.plan?.at ?? '',
      source: r.source,
      item: r.item,
    }),
  }),
  'data-types': table('data-types', {
    whole: true,
    read: ({ recognition }, q) => recognition.types(q.where),
    flat: (t) => ({
      id: t.id,
      name: t.name,
      weight: t.weight,
      country: t.country ?? '',
      source: t.source,
      custom: t.custom,
      active: t.active,
      certainty: t.from,
      packs: t.packs.join('; '),
      files: t.use?.files ?? '',
      occurrences: t.use?.occurrences ?? '',
    }),
  }),
  ledger: table('ledger', {
    read: async ({ ledger }, q, page) => ({ rows: await ledger.rows(q, page) }),
    flat: (e) => ({
      seq: e.seq,
      at: e.at,
      who: e.who,
      what: e.what,
      subject: e.subject,
      before: e.before === null ? '' : JSON.stringify(e.before),
      after: e.after === null ? '' : JSON.stringify(e.after),
      hash: e.hash,
    }),
  }),
};

/** What reading a table gives. */
export type PageOfTable<T extends TableName> = NonNullable<Awaited<ReturnType<(typeof TABLE)[T]['read']>>>;
