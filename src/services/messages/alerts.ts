/**
 * What people are told of by itself. Whatever finds something puts it on a list, in its own transaction; who is told, and in which
 * words, is worked out from there, so that nothing is left out and nothing told twice.
 */
import { counted } from '../../core/counted.ts';
import {
  alertFits,
  OWN_ACCOUNT,
  WAITS_FOR_SECOND,
  type AlertKind,
  type AlertRule,
} from '../../core/messages/alerts.ts';
import type { Severity } from '../../core/exposure/exposure.ts';
import { SUBJECTS } from '../../core/guard/kinds.ts';
import type { MessageTo, Rule } from '../../core/guard/schema.ts';
import { sentence } from '../../core/orders/words.ts';
import type { OrderAbout, ThingFacts, Told } from '../../engine/orders.ts';
import type { Db } from '../../store/db.ts';
import { storableJson } from '../../store/observed.ts';
import { readSetting, writeSetting } from '../../store/settings.ts';
import type { Deed } from '../ledger.ts';
import { log } from '../log.ts';
import { emptyDoc, type RunWithOrder } from '../orders/rows.ts';
import type { OrderParts } from '../orders/parts.ts';
import { named, subjectOf, takingMessages, toldBy, toldOf } from '../orders/texts.ts';
import { BY_ITSELF } from '../policies/rows.ts';
import { SITE } from './links.ts';
import type { NewMessage } from './outbox.ts';
import { plainValue } from './templates.ts';
import { eventOf, EVENT_COLUMNS, type KeptEvent } from '../happened/log.ts';

const TELLING = 'alerts';
const SETTING = 'alert-rules';
const AT_ONCE = 50;
/** After how long what could not be told is tried again, in milliseconds; the last for ever. */
const AGAIN = [1, 5, 15, 60].map((m) => m * 60_000);
/** Recipients that are another for each thing: they are told of their own alone. */
const OF_EACH = ['owner', 'manager', 'sponsor'] as const;

/** What somebody may have to be told of. */
type Alert =
  | { kind: 'signal'; severity: Severity; signal: number; name: string; seq: number }
  | {
      kind: 'hit';
      severity: Severity;
      policy: string;
      rule: Pick<Rule, 'id' | 'name' | 'subject' | 'tell'>;
      /** Only stewards are told of what a rule hits that does not enforce. */
      quiet: boolean;
      keys: string[];
      /** Of the policy, for links. */
      id: number;
    }
  | { kind: 'run'; severity: Severity; run: number; order: string; trouble: string; things: string[] }
  | { kind: 'deed'; deed: Pick<Deed, 'who' | 'what' | 'subject'>; name: string }
  | { kind: 'app-back'; plan: number; source: string; grant: string };

interface Row {
  id: number;
  key: string;
  doc: Alert;
  tries: number;
}

/** Somebody who is to be told, of which things, and how soon. */
interface Wanted {
  to: Told;
  /** Undefined: of all. */
  things: Set<string> | undefined;
  gathered: boolean;
}
interface Text {
  subject: string;
  body: string;
}

export class Alerts {
  constructor(private readonly parts: OrderParts) {
    const { jobs, db, clock } = parts;
    jobs.declare(TELLING, {
      broken: 'again',
      quiet: true,
      run: async ({ signal }) => {
        for (;;) {
          const rows = await db.query<Row>(
            `select id, key, doc, tries from alert where due <= $1 order by id limit ${AT_ONCE}`,
            [clock()],
          );
          for (const row of rows) {
            if (signal.aborted) return undefined;
            await this.tell(row);
          }
          if (rows.length === AT_ONCE) continue;
          const [next] = await db.query<{ due: Date | null }>(
            'select min(due) as due from alert where tries > 0',
          );
          return { state: 'done', next: next?.due ?? undefined };
        }
      },
    });
  }

  rules(db: Db = this.parts.db): Promise<AlertRule[]> {
    return readSetting<AlertRule[]>(db, SETTING).then((rules) => rules ?? []);
  }

  async setRules(rules: readonly AlertRule[], by: string): Promise<void> {
    const { db, ledger } = this.parts;
    await db.transaction(async (tx) => {
      const before = await this.rules(tx);
      await writeSetting(tx, SETTING, rules);
      await ledger.add({ who: by, what: 'alerts.set', subject: 'alerts', before, after: rules }, tx);
    });
  }

  /** A signal that is new. `seq`: of its first event. */
  onSignal(tx: Db, signal: { id: number; name: string; severity: Severity; seq: number }): Promise<void> {
    const { id, name, severity, seq } = signal;
    return this.put(tx, `signal:${id}`, { kind: 'signal', severity, signal: id, name, seq });
  }

  /** What rules of a policy hit newly. */
  async onHits(
    tx: Db,
    policy: { id: number; name: string; rules: readonly Rule[] },
    hits: readonly { rule: string; key: string }[],
    at: string,
  ): Promise<void> {
    for (const { id, name, subject, severity, mode, tell } of policy.rules) {
      const keys = hits.flatMap((h) => (h.rule === id ? h.key : []));
      if (!keys.length) continue;
      await this.put(tx, `hit:${policy.id}:${id}:${at}`, {
        kind: 'hit',
        severity,
        policy: policy.name,
        id: policy.id,
        rule: { id, name, subject, ...(tell && { tell }) },
        quiet: mode !== 'enforce',
        keys,
      });
    }
  }

  /** A run that does not go on by itself. */
  onRun(tx: Db, { id, at, order, doc }: RunWithOrder, trouble: string): Promise<void> {
    return this.put(tx, `run:${id}:${at}:${this.parts.clock().getTime()}`, {
      kind: 'run',
      severity: order.severity,
      run: id,
      order: order.name,
      trouble,
      things: doc.things,
    });
  }

  /** Something that was done, as it stands on the ledger. */
  async onDeed(tx: Db, { who, what, subject, after }: Deed, seq: number): Promise<void> {
    const app = what === 'plan.change.undo-failed' && /^appGrant ([^/]+)\/(.+)$/s.exec(subject);
    if (app) {
      const { plan } = after as { plan: number };
      const [source, grant] = [app[1]!, app[2]!];
      return this.put(tx, `app-back:${plan}:${source}:${grant}`, { kind: 'app-back', plan, source, grant });
    }
    if (
      what !== 'sharing.suspended' &&
      !Object.hasOwn(WAITS_FOR_SECOND, what) &&
      !Object.hasOwn(OWN_ACCOUNT, what)
    )
      return;
    const { name } = { name: '', ...(after as object | undefined) };
    await this.put(tx, `deed:${seq}`, { kind: 'deed', deed: { who, what, subject }, name });
  }

  private async put(tx: Db, key: string, alert: Alert): Promise<void> {
    await tx.query('insert into alert (key, doc) values ($1, $2::jsonb) on conflict (key) do nothing', [
      key,
      storableJson(alert),
    ]);
    await this.parts.jobs.add(tx, TELLING, 0, BY_ITSELF);
    this.soon(tx);
  }

  /** Begins what is on the list once it is kept. */
  private soon(tx: Db): void {
    tx.after(() => void this.parts.jobs.look().catch(() => undefined));
  }

  /**
   * Works out who is told, and in one transaction makes their messages and takes the alert off the list. One that cannot be
   * worked out stays on it, is tried again later, and does not keep others from being told.
   */
  private async tell({ id, key, doc, tries }: Row): Promise<void> {
    const { db, outbox, clock } = this.parts;
    try {
      const messages = await this.messagesOf(key, doc);
      await db.transaction(async (tx) => {
        await outbox.add(tx, messages);
        await tx.query('delete from alert where id = $1', [id]);
        this.soon(tx);
      });
    } catch (e) {
      log.error({ err: e, alert: key }, 'somebody could not be told of something');
      const wait = AGAIN[Math.min(tries, AGAIN.length - 1)]!;
      await db.query('update alert set tries = tries + 1, trouble = $2, due = $3 where id = $1', [
        id,
        String(e),
        new Date(clock().getTime() + wait),
      ]);
    }
  }

  /** What could not be told so far: how many things, and what was in the way of the last of them. */
  async untold(): Promise<{ n: number; trouble: string } | undefined> {
    const [row] = await this.parts.db.query<{ n: number; trouble: string | null }>(
      'select count(*)::int as n, (array_agg(trouble order by id desc))[1] as trouble from alert where tries > 0',
    );
    return row?.n ? { n: row.n, trouble: row.trouble ?? '' } : undefined;
  }

  private async messagesOf(key: string, alert: Alert): Promise<NewMessage[]> {
    const made = (severity: Severity, wanted: readonly Wanted[], text: (w: Wanted) => Text): NewMessage[] =>
      wanted.map((w) => ({
        key: `alert:${key}:${w.to.recipient}`,
        to: w.to,
        severity,
        kind: 'alert',
        gathered: w.gathered,
        ...text(w),
      }));
    switch (alert.kind) {
      case 'signal':
        return this.ofSignal(alert, made);
      case 'hit':
        return this.ofHits(alert, made);
      case 'run': {
        const wanted = await this.wanted('run', alert.severity, aboutThings(alert.things));
        return made(alert.severity, wanted, () => ({
          subject: `A run of “${plainValue(alert.order)}” needs a look`,
          body: `${plainValue(sentence(alert.trouble))}\n\nLook at it:\n${SITE}/guard/orders?run=${alert.run}`,
        }));
      }
      case 'deed':
        return this.ofDeed(alert, made);
      case 'app-back':
        return this.ofAppBack(alert, made);
    }
  }

  private async ofSignal(
    { signal, name, severity, seq }: Extract<Alert, { kind: 'signal' }>,
    made: Made,
  ): Promise<NewMessage[]> {
    const { db, clock } = this.parts;
    const [row] = await db.query<KeptEvent>(`select ${EVENT_COLUMNS} from happened where seq = $1`, [seq]);
    const about = await subjectOf(this.parts, db, { ...emptyDoc(clock()), signal });
    // it may have been taken into another meanwhile, or be none any more
    if (!row || !about.signal) return [];
    const event = eventOf(row);
    // what a source calls people by says nothing to whoever reads
    const who = event.actorName || (event.actor.includes('@') ? event.actor : 'Somebody');
    const wanted = await this.wanted('signal', severity, { ...about, actor: row.actor_key }, about.facts);
    const first = about.facts.find((f) => f)?.name ?? event.name;
    const more = about.signal.events - 1;
    return made(severity, wanted, () => ({
      subject: plainValue(`${name}: ${who}`),
      body: `${plainValue(`${who} ${toldOf(event, first)}`)}${more > 0 ? `, and ${more} more like it so far` : ''}.${
        about.things.length > 1 ? `\n\n${linesOf(about.facts)}` : ''
      }\n\nLook at it:\n${SITE}/guard/signals?signal=${signal}`,
    }));
  }

  private async ofHits(
    { severity, policy, rule, quiet, keys, id }: Extract<Alert, { kind: 'hit' }>,
    made: Made,
  ): Promise<NewMessage[]> {
    const { engine } = this.parts;
    const facts = (await engine.ask.thingFacts(undefined, keys)) ?? [];
    const wanted = await this.wanted('hit', severity, aboutThings(keys), facts, {
      to: rule.tell ?? [],
      quiet,
    });
    const byWeight = facts.flatMap((f) => f ?? []).sort((a, b) => b.weight - a.weight);
    return made(severity, wanted, ({ things }) => {
      const own = things ? byWeight.filter((f) => things.has(f.key)) : byWeight;
      const n = things?.size ?? keys.length;
      const what = counted(n, SUBJECTS[rule.subject].words);
      return {
        subject: plainValue(`${rule.name}: ${what}`),
        body: `${plainValue(`The rule “${rule.name}” of the policy “${policy}” newly hits ${what}:`)}\n\n${linesOf(own)}${
          things
            ? ''
            : `\n\nLook at ${n === 1 ? 'it' : 'them'}:\n${SITE}/guard/policies?policy=${id}&rule=${rule.id}`
        }`,
      };
    });
  }

  /** Withdrawing an app was undone, which only whoever had let it in can do: they are told how. */
  private async ofAppBack(
    { plan, source, grant }: Extract<Alert, { kind: 'app-back' }>,
    made: Made,
  ): Promise<NewMessage[]> {
    const { db, engine } = this.parts;
    const [change] = await db.query<{ before: object }>(
      "select before from plan_change where plan = $1 and source = $2 and kind = 'appGrant' and object = $3",
      [plan, source, grant],
    );
    const lost = change && (await engine.ask.lostBy(undefined, { source, before: change.before }));
    if (!lost) return [];
    const { person, app, homepage } = lost;
    const to: Told = { way: 'mail', recipient: person.address, name: person.name, key: '' };
    const name = plainValue(app);
    return made('high', [{ to, things: undefined, gathered: false }], () => ({
      subject: `You can let ${name} in again`,
      body: `Hello ${plainValue(person.name)},\n\nThe app “${name}” was withdrawn from you, and that has been undone. Nobody can put it back for you: if you still need it, let it in again ${
        homepage ? `there:\n${homepage}` : 'where you use it.'
      }`,
    }));
  }

  private async ofDeed(
    { deed: { who, what, subject }, name }: Extract<Alert, { kind: 'deed' }>,
    made: Made,
  ): Promise<NewMessage[]> {
    const { db } = this.parts;
    const own = OWN_ACCOUNT[what];
    if (own) {
      // later it is no news any more
      if (!this.parts.mail.ready) return [];
      const [account] = await db.query<{ address: string; name: string }>(
        'select address, name from account where address = $1',
        [subject],
      );
      if (!account) return [];
      const to: Told = { way: 'mail', recipient: account.address, name: account.name, key: '' };
      const by = who === account.address ? 'If it was not you' : `${who} did it. If that should not be`;
      return made('high', [{ to, things: undefined, gathered: false }], () => ({
        subject: own.replace(/\.$/, ''),
        body: `Hello ${account.name},\n\n${own} ${by}, tell a steward at once.`,
      }));
    }
    if (what === 'sharing.suspended') {
      const wanted = await this.wanted('suspended', 'high', aboutThings([subject]));
      return made('high', wanted, () => ({
        subject: `Sharing by ${plainValue(name) || 'somebody'} is suspended`,
        body: `Until a steward lets them share again:\n${SITE}/guard/orders`,
      }));
    }
    const [words, path] = WAITS_FOR_SECOND[what]!;
    const plan = /^plan (\d+)$/.exec(subject)?.[1];
    const wanted = await this.wanted('approval', 'high', aboutThings([]));
    return made(
      'high',
      // whoever asks cannot approve it
      wanted.filter((w) => w.to.recipient !== who),
      () => ({
        subject: `${words} waits for a second steward`,
        body: `${who === BY_ITSELF ? 'A standing order or a policy' : who} asks for it${plan ? '' : `: ${subject}`}.\n\nLook at it:\n${SITE}${path}${plan ? `?plan=${plan}` : ''}`,
      }),
    );
  }

  /** Who is told: by the rules that stewards set, and as a rule of a policy says itself. */
  private async wanted(
    kind: AlertKind,
    severity: Severity,
    about: OrderAbout,
    facts?: readonly (ThingFacts | undefined)[],
    own: { to: readonly MessageTo[]; quiet: boolean } = { to: [], quiet: false },
  ): Promise<Wanted[]> {
    const { engine, db } = this.parts;
    const known = facts ?? (await engine.ask.thingFacts(undefined, about.things)) ?? [];
    const told = (pick: (f: ThingFacts) => string | string[]): string[] => [
      ...new Set(known.flatMap((f) => (f ? pick(f) : []))),
    ];
    const asked = {
      kind,
      severity,
      workspaces: told((f) => f.workspace).concat(about.source || []),
      types: told((f) => f.types),
    };
    const rules = (await this.rules()).filter((r) => alertFits(r, asked));
    const found = new Map<string, Wanted>();
    const put = (to: Told, gathered: boolean, thing?: string): void => {
      const had = found.get(to.recipient) ?? { to, things: new Set<string>(), gathered: true };
      if (thing === undefined) had.things = undefined;
      else had.things?.add(thing);
      found.set(to.recipient, { ...had, gathered: had.gathered && gathered });
    };
    for (const { to, gathered } of [{ to: own.to, gathered: false }, ...rules]) {
      const may = own.quiet ? to.filter((t) => 'stewards' in t) : to;
      const each = kind === 'hit' ? may.filter((t) => OF_EACH.some((k) => k in t)) : [];
      for (const t of await toldBy(
        this.parts,
        db,
        about,
        may.filter((t) => !each.includes(t)),
      ))
        put(t, gathered);
      if (!each.length) continue;
      const taking = await takingMessages(this.parts);
      const theirs = (await engine.ask.recipientsOfEach(undefined, about.things, each, taking)) ?? [];
      for (const [n, of] of theirs.entries()) for (const t of of) put(t, gathered, about.things[n]);
    }
    return [...found.values()];
  }
}

type Made = (severity: Severity, wanted: readonly Wanted[], text: (w: Wanted) => Text) => NewMessage[];

/** What somebody is told of that nobody did just now. */
const aboutThings = (things: readonly string[]): OrderAbout => ({
  source: '',
  things,
  actor: '',
  targets: [],
});

/** Each on a line, with where it is. */
const linesOf = (facts: readonly (ThingFacts | undefined)[]): string =>
  named(
    facts.map(
      (f) => f && { ...f, name: plainValue(f.path && f.path !== f.name ? `${f.name} (${f.path})` : f.name) },
    ),
  );
