/** Signals: what is looked for among events as they come, what was found, and what was done about it. */
import { SEVERITIES, type Severity } from '../../core/exposure/exposure.ts';
import { FilterError } from '../../core/filter/filter.ts';
import type { Happened } from '../../core/guard/events.ts';
import { durationMs, type Pattern } from '../../core/guard/patterns.ts';
import { Stream, type Grown, type Growing } from '../../core/guard/stream.ts';
import type {
  PatternRow,
  SignalPage,
  SignalPart,
  SignalRow,
  SignalsPage,
  SignalState,
  SignalThing,
} from '../../dto/events.ts';
import type { QueryOfTable } from '../../dto/tables.ts';
import type { Db } from '../../store/db.ts';
import { AppError } from '../errors.ts';
import type { Events } from '../events.ts';
import type { Engine } from '../../engine/engine.ts';
import type { Ledger } from '../ledger.ts';
import { dayOf, mustCome } from '../days.ts';
import { log } from '../log.ts';
import { Follower } from './follower.ts';
import { eventOf, ofSignal, type KeptEvent, type Numbered } from './log.ts';

/** What comes so much later than newer events is looked at together with what the log has around it, in milliseconds. */
const LATENESS = 3_600_000;
const FOLLOWER = 'signals';
const WEEK = 7 * 86_400_000;
/** For so many weeks before a signal it is said what somebody usually does. */
const USUAL_WEEKS = 8;

interface Kept {
  id: number;
  version: number;
  doc: Pattern;
}
interface Looking extends Kept {
  stream: Stream<Numbered> | undefined;
  trouble: string | null;
}

const CURRENT = `select p.id, p.version, v.doc, v.made_at, v.made_by from signal_pattern p
  join signal_pattern_version v on v.pattern = p.id and v.version = p.version where p.removed_at is null`;

/** How many signals wait for somebody to look at them. */
export const SIGNALS_WAITING = "select count(distinct about)::int as n from signal where state = 'waiting'";

export class Signals {
  private readonly follower: Follower;
  /** Called when what was found is kept. */
  onKept: () => void = () => undefined;
  private looking: Looking[] | undefined;
  /** Called with a signal that is new and not ignored, in the transaction that keeps it. `seq`: of its first event. */
  onFound: (tx: Db, signal: { id: number; name: string; severity: Severity; seq: number }) => Promise<void> =
    () => Promise.resolve();

  constructor(
    private readonly db: Db,
    private readonly ledger: Ledger,
    private readonly engine: { ask: Pick<Engine['ask'], 'reachWithout'> },
    private readonly events: Pick<Events, 'emit'>,
    private readonly clock: () => Date,
  ) {
    this.follower = new Follower(
      db,
      FOLLOWER,
      (rows) => this.take(rows),
      // what was looked at and not written is looked at again
      () => (this.looking = undefined),
    );
  }

  /** Looks at what is new. Resolves when that is done; what comes meanwhile is looked at after it. */
  look(): Promise<void> {
    return this.follower.look();
  }

  close(): Promise<void> {
    return this.follower.close();
  }

  /** Looks at events, and keeps what they are part of together with how far it came. */
  private async take(rows: readonly KeptEvent[]): Promise<void> {
    this.looking ??= await this.begin();
    const events = rows.map(eventOf);
    const found = this.looking.map((of) => ({
      of,
      grown: this.feed(of, events),
      late: of.stream?.late ?? [],
    }));
    let told = false;
    await this.db.transaction(async (tx) => {
      for (const { of, grown, late } of found) {
        for (const g of grown) await this.keep(tx, of, g);
        const more = await this.lookBack(tx, of, late, events.at(-1)!.seq);
        told ||= grown.length > 0 || more;
      }
      await this.follower.came(tx, rows);
    });
    // what was found in the log may reach into what is held
    if (found.some((f) => f.late.length)) this.looking = undefined;
    if (!told) return;
    this.onKept();
    this.events.emit({ type: 'policies' });
  }

  /** Looks at events that came late, together with what the log has of the time around them. */
  private async lookBack(tx: Db, of: Looking, late: readonly Numbered[], until: number): Promise<boolean> {
    const within = durationMs(of.doc.window.within)!;
    const left = [...late].sort((a, b) => a.time - b.time);
    let told = false;
    while (left.length) {
      // as far as one may have to do with the next
      const many = left.findIndex((e, n) => n > 0 && e.time - left[n - 1]!.time > within);
      const some = left.splice(0, many < 0 ? left.length : many);
      const own = new Set(some.map((e) => e.seq));
      const around = await this.held(tx, of, [some[0]!.time - within, some.at(-1)!.time + within], until);
      const stream = new Stream<Numbered>(of.doc.window, Infinity, this.clock().getTime());
      try {
        stream.restore(around.filter((h) => !own.has(h.e.seq)));
        for (const g of stream.feed(some)) {
          await this.keep(tx, of, g);
          told = true;
        }
      } catch (e) {
        if (!(e instanceof FilterError)) throw e;
        Object.assign(of, { stream: undefined, trouble: e.message });
        return told;
      }
    }
    return told;
  }

  /** Events of a time that were looked at, each with the signal that it is in. */
  private async held(
    db: Db,
    of: Kept,
    [from, to]: readonly [from: number, to: number],
    until: number,
  ): Promise<{ e: Numbered; signal: Growing | undefined }[]> {
    const rows = await db.query<Pick<KeptEvent, 'seq' | 'time' | 'doc'> & { signal: number | null }>(
      `select h.seq::int as seq, h.time, h.doc,
         (select s.id::int from signal_event e join signal s on s.id = e.signal where e.seq = h.seq and s.pattern = $4) as signal
       from happened h where h.time >= $1 and h.time <= $2 and h.seq <= $3`,
      [new Date(from), new Date(to), until, of.id],
    );
    const known = new Map<number, Growing>();
    const growing = (id: number): Growing => {
      const one = known.get(id) ?? { id };
      known.set(id, one);
      return one;
    };
    return rows.map((r) => ({ e: eventOf(r), signal: r.signal === null ? undefined : growing(r.signal) }));
  }

  private feed(of: Looking, events: readonly Numbered[]): Grown<Numbered>[] {
    try {
      return of.stream?.feed(events) ?? [];
    } catch (e) {
      if (!(e instanceof FilterError)) throw e;
      log.warn({ pattern: of.id, trouble: e.message }, 'a signal is not looked for any more');
      Object.assign(of, { stream: undefined, trouble: e.message });
      return [];
    }
  }

  /** Takes up what is looked for, with the events that may still be part of something. */
  private async begin(): Promise<Looking[]> {
    const kept = await this.db.query<Kept>(`${CURRENT} order by p.id`);
    const [at] = await this.db.query<{ newest: Date | null; seq: number }>(
      'select max(time) as newest, f.seq::int as seq from follower f left join happened h on h.seq <= f.seq where f.name = $1 group by f.seq',
      [FOLLOWER],
    );
    const looking: Looking[] = [];
    for (const k of kept) {
      const of: Looking = { ...k, stream: undefined, trouble: null };
      looking.push(of);
      if (!k.doc.on) continue;
      of.stream = new Stream(k.doc.window, LATENESS, this.clock().getTime());
      if (!at?.newest) continue;
      const newest = at.newest.getTime();
      try {
        of.stream.restore(
          await this.held(this.db, k, [newest - LATENESS - durationMs(k.doc.window.within)!, newest], at.seq),
        );
      } catch (e) {
        if (!(e instanceof FilterError)) throw e;
        Object.assign(of, { stream: undefined, trouble: e.message });
      }
    }
    return looking;
  }

  /** Keeps what a signal has grown by. One that somebody has looked at waits again. */
  private async keep(tx: Db, of: Looking, g: Grown<Numbered>): Promise<void> {
    const { window } = of.doc;
    let waits = false;
    if (g.signal.id === undefined) {
      const first = g.added[0]!;
      const [made] = await tx.query<{ id: number; state: SignalState }>(
        `insert into signal (pattern, version, key, first_at, last_at, events, distinct_values, found_at, state, looked)
         select $1::int, $2::int, $3::text, $4::timestamptz, $4::timestamptz, 0, 0, $5::timestamptz,
           case when o.looked is null then 'waiting' else 'ignored' end, o.looked
         from (select) one left join (select looked from signal where pattern = $1 and key = $3 and state = 'ignored'
           and (looked->>'until')::date >= $6::date order by id desc limit 1) o on true
         returning id::int as id, state`,
        [of.id, of.version, g.key, new Date(first.time), this.clock(), dayOf(this.clock())],
      );
      g.signal.id = made!.id;
      waits = made!.state === 'waiting';
    }
    const merged = g.merged.map((m) => m.id!);
    if (merged.length) {
      await tx.query('update signal_event set signal = $1 where signal = any($2)', [g.signal.id, merged]);
      await tx.query('delete from signal where id = any($1)', [merged]);
    }
    await tx.query(
      // what was held for longer than events are kept is not there any more
      `insert into signal_event (signal, seq, value) select $1, u.seq, u.value from unnest($2::bigint[], $3::text[]) u(seq, value)
       where exists (select from happened h where h.seq = u.seq)`,
      [g.signal.id, g.added.map((e) => e.seq), g.added.map((e) => e[window.distinct])],
    );
    await tx.query(
      `update signal s set first_at = t.first, last_at = t.last, events = t.n, distinct_values = t.different,
         about = case when s.about = 0 then s.id else s.about end,
         state = case when s.state = 'ignored' then s.state else 'waiting' end
       from (select min(h.time) as first, max(h.time) as last, count(*)::int as n,
               (count(distinct e.value) filter (where e.value <> ''))::int as different
             from signal_event e join happened h on h.seq = e.seq where e.signal = $1) t where s.id = $1 and t.n > 0`,
      [g.signal.id],
    );
    const { name, severity } = of.doc;
    if (waits) await this.onFound(tx, { id: g.signal.id, name, severity, seq: g.added[0]!.seq });
    // of what is not there any more nothing is a signal
    await tx.query('delete from signal where id = $1 and events = 0', [g.signal.id]);
    await tx.query(
      `with one as (select distinct s.about from signal_event e join signal_event o on o.seq = e.seq join signal s on s.id = o.signal
         where e.signal = $1)
       update signal set about = (select min(about) from one) where about in (select about from one)`,
      [g.signal.id],
    );
  }

  // --- what is looked for

  async patterns(): Promise<PatternRow[]> {
    const rows = await this.db.query<
      Kept & { made_at: Date; made_by: string; waiting: number; found: number }
    >(
      `select c.*, (select count(*)::int from signal s where s.pattern = c.id) as found,
         (select count(*)::int from signal s where s.pattern = c.id and s.state = 'waiting') as waiting
       from (${CURRENT}) c order by lower(c.doc->>'name'), c.id`,
    );
    return rows.map(({ id, version, doc, made_at, made_by, waiting, found }) => ({
      ...doc,
      id,
      version,
      madeAt: made_at.toISOString(),
      madeBy: made_by,
      waiting,
      found,
      trouble: this.looking?.find((l) => l.id === id)?.trouble ?? null,
    }));
  }

  /** Begins to look for something, or looks for it otherwise. */
  async put(doc: Pattern, by: string, id?: number, version?: number): Promise<{ id: number }> {
    const made = await this.db.transaction(async (tx) => {
      const before = id === undefined ? undefined : await this.patternOf(tx, id);
      if (before && version !== undefined && before.version !== version)
        throw new AppError('moved', 409, 'Somebody has changed this meanwhile. Look at it again.');
      const next = (before?.version ?? 0) + 1;
      const [row] = before
        ? await tx.query<{ id: number }>(
            'update signal_pattern set version = $2 where id = $1 returning id',
            [id, next],
          )
        : await tx.query<{ id: number }>('insert into signal_pattern (version) values (1) returning id');
      await tx.query(
        'insert into signal_pattern_version (pattern, version, doc, made_at, made_by) values ($1, $2, $3, $4, $5)',
        [row!.id, next, JSON.stringify(doc), this.clock(), by],
      );
      await this.ledger.add(
        {
          who: by,
          what: before ? 'signals.changed' : 'signals.added',
          subject: doc.name,
          ...(before && { before: before.doc }),
          after: doc,
        },
        tx,
      );
      return row!.id;
    });
    await this.changed();
    return { id: made };
  }

  async remove(id: number, by: string): Promise<void> {
    await this.db.transaction(async (tx) => {
      const before = await this.patternOf(tx, id);
      await tx.query('update signal_pattern set removed_at = $2 where id = $1', [id, this.clock()]);
      await this.ledger.add(
        { who: by, what: 'signals.removed', subject: before.doc.name, before: before.doc },
        tx,
      );
    });
    await this.changed();
  }

  /** What is looked for is something else: what is being looked at is looked at to its end first. */
  private async changed(): Promise<void> {
    await this.follower.between(() => void (this.looking = undefined));
    this.events.emit({ type: 'policies' });
  }

  private async patternOf(db: Db, id: number): Promise<Kept> {
    const [kept] = await db.query<Kept>(`select * from (${CURRENT}) c where id = $1`, [id]);
    if (!kept) throw new AppError('no-pattern', 404, 'This is not looked for any more.');
    return kept;
  }

  // --- what was found

  async list(q: QueryOfTable<'signals'>, page: { limit: number; offset: number }): Promise<SignalsPage> {
    const rows = await this.db.query<SignalSql & { total: number }>(
      `select *, count(*) over ()::int as total from (${SIGNAL}) s
       where ($1::text = 'all' or state = $1) and ($2::int is null or $2 = any(patterns))
         and ($3::text is null or position($3 in lower(parts::text)) > 0)
       order by last_at desc, id desc limit $4 offset $5`,
      [q.state, q.pattern ?? null, q.text?.toLowerCase() ?? null, page.limit, page.offset],
    );
    return { rows: rows.map(signalOf), total: rows[0]?.total ?? 0 };
  }

  /** A signal with everything that it is about. Throws where there is none. */
  async one(id: number): Promise<SignalPage> {
    const [row] = await this.db.query<SignalSql>(
      `select * from (${SIGNAL}) s where id = (select about from signal where id = $1 or about = $1 limit 1)`,
      [id],
    );
    if (!row) throw new AppError('no-signal', 404, 'There is no such signal, or it is one with another now.');
    const events = await this.db.query<{
      actor_key: string;
      node_key: string;
      told_by: string;
      doc: Happened;
    }>(
      `select h.actor_key, h.node_key, h.told_by, h.doc from happened h where h.seq in (${ofSignal('$1')})
       order by h.time, h.seq`,
      [row.id],
    );
    const things = new Map<string, SignalThing>();
    const shared = new Map<SignalThing, { source: string; targets: string[] }>();
    const actors = new Map<string, SignalPage['actors'][number]>();
    for (const { actor_key: actorKey, node_key: nodeKey, told_by: source, doc } of events) {
      const item = doc.item || doc.space;
      if (item) {
        let thing = things.get(nodeKey || item);
        if (!thing) {
          const { name, path, weight, types } = doc;
          const none = { events: 0, did: [], targets: [], reach: null };
          thing = { nodeKey, item, name: name || item, path, weight, types, ...none };
          things.set(nodeKey || item, thing);
          shared.set(thing, { source, targets: [] });
        }
        thing.events++;
        if (doc.target) shared.get(thing)!.targets.push(doc.target);
        if (!thing.did.includes(doc.type)) thing.did.push(doc.type);
        const target = doc.targetName || doc.target;
        if (target && !thing.targets.includes(target)) thing.targets.push(target);
      }
      const who = actorKey || doc.actor;
      if (!who) continue;
      const actor = actors.get(who);
      if (actor) actor.events++;
      else
        actors.set(who, {
          actorKey,
          name: doc.actorName || doc.actor,
          department: doc.department,
          events: 1,
          usual: [],
        });
    }
    const reach = await this.engine.ask.reachWithout(
      undefined,
      [...shared].map(([t, of]) => ({ ...of, things: t.nodeKey ? [t.nodeKey] : [], actor: '' })),
    );
    for (const [n, thing] of [...shared.keys()].entries()) thing.reach = reach?.[n] ?? null;
    for (const actor of actors.values())
      if (actor.actorKey) actor.usual = await this.usual(row.id, row.first_at, actor);
    return {
      ...signalOf(row),
      things: [...things.values()].sort((a, b) => b.weight - a.weight || b.events - a.events),
      actors: [...actors.values()],
    };
  }

  /** What somebody does in a week, and what one of their department does, in the weeks before a moment. */
  private async usual(
    id: number,
    before: Date,
    { actorKey, department }: { actorKey: string; department: string },
  ): Promise<SignalPage['actors'][number]['usual']> {
    const since = new Date(before.getTime() - USUAL_WEEKS * WEEK);
    const rows = await this.db.query<{
      type: string;
      here: number;
      own: number;
      all: number;
      people: number;
    }>(
      `with its as (select distinct e.seq from signal_event e join signal s on s.id = e.signal where s.about = $1),
       of as (select h.type, h.actor_key, h.time, its.seq is not null as here from happened h left join its on its.seq = h.seq
         where (h.time >= $2 and h.time < $3 and (h.actor_key = $4 or $5 <> '' and h.doc->>'department' = $5)) or (its.seq is not null and h.actor_key = $4)),
       people as (select count(distinct actor_key)::int as n from of where actor_key <> $4)
       select type, (count(*) filter (where here))::int as here,
         (count(*) filter (where actor_key = $4 and not here and time < $3))::int as own,
         (count(*) filter (where actor_key <> $4))::int as all, (select n from people) as people
       from of group by type order by here desc, type`,
      [id, since, before, actorKey, department],
    );
    return rows.map((r) => ({
      type: r.type,
      here: r.here,
      week: r.own / USUAL_WEEKS,
      colleagues: r.people ? r.all / r.people / USUAL_WEEKS : 0,
    }));
  }

  /** Says what became of some signals. */
  async settle(
    ids: readonly number[],
    { state, note, until }: { state: SignalState; note: string; until?: string | undefined },
    by: string,
  ): Promise<void> {
    if (until) mustCome(until, this.clock());
    const kept = state === 'ignored' && until ? { until } : {};
    await this.db.transaction(async (tx) => {
      const rows = (
        await tx.query<SignalSql>(`select * from (${SIGNAL}) s where id = any($1) order by id`, [ids])
      ).map(signalOf);
      if (rows.length < new Set(ids).size)
        throw new AppError('no-signal', 404, 'Some of these signals are not there any more. Look again.');
      await tx.query('update signal set state = $2, looked = $3 where about = any($1)', [
        ids,
        state,
        JSON.stringify({ by, at: this.clock().toISOString(), note, ...kept }),
      ]);
      for (const r of rows)
        await this.ledger.add(
          {
            who: by,
            what: 'signal.settled',
            subject: `signal ${r.id} ${r.parts[0]!.name}`,
            before: r.state,
            after: { state, note, ...kept },
          },
          tx,
        );
    });
    this.events.emit({ type: 'policies' });
  }
}

interface SignalSql {
  id: number;
  parts: (Pick<SignalPart, 'pattern' | 'key' | 'values' | 'events'> & {
    doc: Pattern;
    keyName: string | null;
  })[];
  first_at: Date;
  last_at: Date;
  events: number;
  state: SignalState;
  looked: SignalRow['looked'];
  found_at: Date;
}
/** Signals about one thing together; the name of what a part's events have in common is as the last of them has it. */
const SIGNAL = `select s.about::int as id, min(s.first_at) as first_at, max(s.last_at) as last_at, min(s.found_at) as found_at,
    array_agg(s.pattern) as patterns, max(s.looked::text)::jsonb as looked,
    (select count(distinct e.seq)::int from signal_event e join signal o on o.id = e.signal where o.about = s.about) as events,
    case when bool_or(s.state = 'waiting') then 'waiting' when bool_or(s.state = 'seen-to') then 'seen-to' else 'ignored' end as state,
    jsonb_agg(jsonb_build_object('pattern', s.pattern, 'doc', v.doc, 'key', s.key, 'values', s.distinct_values, 'events', s.events,
      'keyName', (select case v.doc->'window'->>'by' when 'actor' then h.doc->>'actorName' when 'item' then h.doc->>'name'
          when 'space' then h.doc->>'name' when 'target' then h.doc->>'targetName' end
        from signal_event e join happened h on h.seq = e.seq where e.signal = s.id order by h.time desc, h.seq desc limit 1))) as parts
  from signal s join signal_pattern_version v on v.pattern = s.pattern and v.version = s.version group by s.about`;

function signalOf(r: SignalSql): SignalRow {
  const parts = r.parts
    .map(({ pattern, doc, key, keyName, values, events }): SignalPart => ({
      pattern,
      name: doc.name,
      purpose: doc.purpose,
      severity: doc.severity,
      by: doc.window.by,
      key,
      keyName: keyName || key,
      distinct: doc.window.distinct,
      values,
      events,
    }))
    .sort(
      (a, b) =>
        SEVERITIES.indexOf(b.severity) - SEVERITIES.indexOf(a.severity) ||
        b.events - a.events ||
        a.pattern - b.pattern,
    );
  return {
    id: r.id,
    parts,
    severity: parts[0]!.severity,
    from: r.first_at.toISOString(),
    to: r.last_at.toISOString(),
    events: r.events,
    state: r.state,
    looked: r.looked,
    foundAt: r.found_at.toISOString(),
  };
}
