/**
 * Decisions at the moment: workspaces ask with a token of their own, the engine answers from columns, and what was no plain
 * yes is recorded a moment later, so that nobody waits for the store.
 */
import { randomUUID } from 'node:crypto';
import type { z } from 'zod';
import type { Policy } from '../core/guard/schema.ts';
import {
  evaluationForm,
  type Asking,
  type DecisionAnswer,
  type DecisionRecord,
  type DecisionsPage,
  type Evaluation,
  type Evaluations,
  type Outcome,
  type Semantic,
} from '../dto/decisions.ts';
import type { AppRequest, AtMoment } from '../engine/decide.ts';
import type { Engine } from '../engine/engine.ts';
import { unkey } from '../engine/keys.ts';
import type { Db } from '../store/db.ts';
import { storableJson } from '../store/observed.ts';
import { dayOf } from './days.ts';
import { AppError } from './errors.ts';
import type { Ledger } from './ledger.ts';
import { log } from './log.ts';
import { CURRENT, exceptionsOn, type Kept } from './policies/rows.ts';
import { newToken, sha256 } from './tokens.ts';

const PREFIX = 'gld_';
/** What is to be recorded is written so long after the first of it, in milliseconds. */
const WRITTEN_MS = 250;
/** More than so many that wait to be written are counted and let go. */
const MOST_WAITING = 20_000;
/** So many are kept, and for so long. */
const KEPT = 100_000;
const KEPT_DAYS = 90;
const DAY = 86_400_000;

export interface DecisionsQuery {
  policy?: number | undefined;
  outcome?: Outcome | undefined;
  text?: string | undefined;
}

export class Decisions {
  private readonly sources = new Map<string, string>();
  private readonly asked = new Map<string, { n: number; last: Date }>();
  private waiting: { at: Date; source: string; record: DecisionRecord }[] = [];
  private lost = 0;
  /** Called where somebody who was refused an app asks for it. */
  onAsked: (request: AppRequest) => Promise<unknown> = () => Promise.resolve();
  /** Called with what was recorded: what was refused or cautioned is an event, too. */
  onRecorded: (source: string, events: object[]) => Promise<unknown> = () => Promise.resolve();
  private timer: NodeJS.Timeout | undefined;
  private writing: Promise<void> = Promise.resolve();

  constructor(
    private readonly db: Db,
    private readonly ledger: Ledger,
    private readonly engine: { ask: Pick<Engine['ask'], 'decide' | 'takePolicies'> },
    private readonly clock: () => Date,
  ) {}

  /** Reads the tokens, and makes the rules ready. */
  async start(): Promise<void> {
    for (const { source, hash } of await this.db.query<{ source: string; hash: string }>(
      'select source, hash from decision_token',
    ))
      this.sources.set(hash, source);
    await this.arm();
  }

  /** Gives the engine the rules as they are now: a change is in force when this resolves. */
  async arm(): Promise<void> {
    const kept = await this.db.query<Kept>(CURRENT);
    const atMoment = kept.filter(({ doc }) => isAtMoment(doc));
    const exceptions = await exceptionsOn(this.db, dayOf(this.clock()));
    await this.engine.ask.takePolicies([
      ...(await suspendedSharing(this.db)),
      ...atMoment.map(({ id, version, doc }) => ({
        id,
        version,
        doc,
        exceptions: exceptions
          .filter((x) => x.policy === id)
          .map(({ id: of, rule, key }) => ({ id: of, key, ...(rule && { rule }) })),
      })),
    ]);
  }

  /** The workspace that a token is of; undefined where it works for none. */
  sourceOf(token: string): string | undefined {
    return token.startsWith(PREFIX) && token.length < 100 ? this.sources.get(sha256(token)) : undefined;
  }

  async evaluate(source: string, asked: Evaluation): Promise<DecisionAnswer> {
    return (await this.all(source, [asked]))[0]!;
  }

  /** Several at once; one, where there are none. Throws where that one is not whole. */
  async several(source: string, q: Evaluations): Promise<DecisionAnswer | { evaluations: DecisionAnswer[] }> {
    if (q.evaluations?.length) return { evaluations: await this.evaluations(source, q) };
    const one = evaluationForm.safeParse(q);
    if (!one.success) throw new AppError('input', 400, issuesOf(one.error));
    return this.evaluate(source, one.data);
  }

  /** As far as the semantic goes. A question that is not whole is answered with an error and no. */
  private async evaluations(source: string, q: Evaluations): Promise<DecisionAnswer[]> {
    const { evaluations = [], options, ...shared } = q;
    const read = evaluations.map((e) => evaluationForm.safeParse({ ...shared, ...e }));
    const whole = read.flatMap((r) => (r.success ? [r.data] : []));
    const answers = (await this.all(source, whole)).values();
    const all = read.map((r): DecisionAnswer =>
      r.success
        ? answers.next().value!
        : {
            decision: false,
            context: {
              error: {
                status: 400,
                message: issuesOf(r.error),
              },
            },
          },
    );
    const stop: Partial<Record<Semantic, boolean>> = {
      deny_on_first_deny: false,
      permit_on_first_permit: true,
    };
    const at = all.findIndex((a) => a.decision === stop[options?.evaluations_semantic ?? 'execute_all']);
    return at < 0 ? all : all.slice(0, at + 1);
  }

  private async all(source: string, list: Evaluation[]): Promise<DecisionAnswer[]> {
    const at = this.clock();
    const known = this.asked.get(source);
    this.asked.set(source, { n: (known?.n ?? 0) + list.length, last: at });
    const decided = await this.engine.ask.decide(undefined, source, list);
    if (!decided)
      throw new AppError('no-survey', 503, 'Nothing can be decided before the first survey is read.');
    for (const { record } of decided) if (record) this.note({ at, source, record });
    for (const d of decided)
      if (d.asks) {
        // what cannot be asked is refused all the same
        const trouble = await this.onAsked(d.asks).then(
          () => undefined,
          (e: unknown) => {
            log.error({ err: e }, 'a request for an app could not be kept');
            return e instanceof AppError ? e.message : 'Nobody could be asked. Try again in a while.';
          },
        );
        d.answer.context = {
          ...d.answer.context,
          reason_user: { 403: trouble ?? 'A steward has been asked, and will answer you.' },
          ...(trouble === undefined && { obligations: [{ id: 'asked' }] }),
        };
      }
    return decided.map((d) => d.answer);
  }

  private note(one: (typeof this.waiting)[number]): void {
    if (this.waiting.length >= MOST_WAITING) {
      this.lost++;
      return;
    }
    this.waiting.push(one);
    this.timer ??= setTimeout(() => {
      this.timer = undefined;
      this.write();
    }, WRITTEN_MS).unref();
  }

  /** Writes what waits, after what is being written. */
  private write(): void {
    const rows = this.waiting;
    const { lost } = this;
    this.waiting = [];
    this.lost = 0;
    this.writing = this.writing.then(async () => {
      try {
        if (rows.length) {
          await this.keep(rows);
          for (const source of new Set(rows.map((r) => r.source)))
            await this.onRecorded(source, rows.filter((r) => r.source === source).flatMap(eventOf));
        }
        if (lost) log.error({ decisions: lost }, 'decisions came faster than they could be recorded');
      } catch (e) {
        log.error({ err: e, decisions: rows.length }, 'decisions could not be recorded');
      }
    });
  }

  private async keep(rows: typeof this.waiting): Promise<void> {
    await this.db.query(
      `insert into decision (at, source, outcome, policy, rule, doc)
       select at, source, outcome, policy, rule, doc
       from jsonb_to_recordset($1::jsonb) as d(at timestamptz, source text, outcome text, policy int, rule text, doc jsonb)`,
      [
        storableJson(
          rows.map(({ at, source, record }) => ({
            at: at.toISOString(),
            source,
            outcome: record.outcome,
            policy: record.policy || null,
            rule: record.rule,
            doc: record,
          })),
        ),
      ],
    );
    await this.db.query(
      'delete from decision where at < $1 or id <= (select max(id) from decision) - $2::bigint',
      [new Date(this.clock().getTime() - KEPT_DAYS * DAY), KEPT],
    );
  }

  /** Decisions that were no plain yes, the newest first. */
  async list(q: DecisionsQuery, page: { limit: number; offset: number }): Promise<DecisionsPage> {
    const rows = await this.db.query<{
      id: string | number;
      at: Date;
      source: string;
      doc: DecisionRecord;
      policy_name: string | null;
      rule_name: string | null;
      total: number;
    }>(
      `select d.id, d.at, d.source, d.doc, p.name as policy_name, count(*) over ()::int as total,
         (select r->>'name' from policy_version v, jsonb_array_elements(v.doc->'rules') r
          where v.policy = d.policy and v.version = (d.doc->>'version')::int and r->>'id' = d.rule) as rule_name
       from decision d left join policy p on p.id = d.policy
       where ($1::int is null or d.policy = $1) and ($2::text is null or d.outcome = $2)
         and ($3::text is null or position($3 in lower(concat_ws(' ', d.doc->>'name', d.doc->>'where', d.doc->>'actorName', d.doc->>'target'))) > 0)
       order by d.id desc limit $4 offset $5`,
      [q.policy ?? null, q.outcome ?? null, q.text?.toLowerCase() ?? null, page.limit, page.offset],
    );
    return {
      rows: rows.map(({ id, at, source, doc, policy_name, rule_name }) => ({
        ...doc,
        id: Number(id),
        at: at.toISOString(),
        source,
        policyName: policy_name,
        ruleName: rule_name,
      })),
      total: rows[0]?.total ?? 0,
    };
  }

  // --- how workspaces ask

  /** Of each workspace, whether and how it asks. */
  async asking(sources: readonly string[]): Promise<Asking[]> {
    const rows = await this.db.query<{ source: string; made_at: Date; made_by: string }>(
      'select source, made_at, made_by from decision_token',
    );
    return sources.map((source) => {
      const row = rows.find((r) => r.source === source);
      const asked = this.asked.get(source);
      return {
        source,
        can: row !== undefined,
        madeAt: row?.made_at.toISOString() ?? null,
        madeBy: row?.made_by ?? null,
        lastAt: asked?.last.toISOString() ?? null,
        asked: asked?.n ?? 0,
      };
    });
  }

  /** Makes a token for a workspace; one that it had works no more. It is told this once. */
  async makeToken(source: string, by: string, given = PREFIX + newToken()): Promise<{ token: string }> {
    await this.db.transaction(async (tx) => {
      const [known] = await tx.query('select 1 from source where id = $1', [source]);
      if (!known) throw new AppError('no-source', 404, 'There is no such workspace among the sources.');
      await tx.query(
        `insert into decision_token (source, hash, made_at, made_by) values ($1, $2, $3, $4)
         on conflict (source) do update set hash = excluded.hash, made_at = excluded.made_at, made_by = excluded.made_by`,
        [source, sha256(given), this.clock(), by],
      );
      await this.ledger.add({ who: by, what: 'decisions.token-made', subject: source }, tx);
    });
    this.forget(source);
    this.sources.set(sha256(given), source);
    return { token: given };
  }

  async endToken(source: string, by: string): Promise<void> {
    await this.db.transaction(async (tx) => {
      const [row] = await tx.query('delete from decision_token where source = $1 returning source', [source]);
      if (!row) throw new AppError('no-token', 404, 'This workspace has no token.');
      await this.ledger.add({ who: by, what: 'decisions.token-ended', subject: source }, tx);
    });
    this.forget(source);
  }

  /** A source asks no more with the token that it had. */
  forget(source: string): void {
    for (const [hash, of] of this.sources) if (of === source) this.sources.delete(hash);
  }

  /** Writes what waits. */
  async close(): Promise<void> {
    clearTimeout(this.timer);
    this.write();
    await this.writing;
  }
}

/** A decision as an event; none where nobody was refused or cautioned. */
function eventOf({ at, record }: { at: Date; record: DecisionRecord }): object[] {
  const { outcome } = record;
  if (outcome !== 'refused' && outcome !== 'cautioned' && outcome !== 'no-access') return [];
  const { id } = unkey(record.key.slice(record.key.indexOf(':') + 1));
  const isItem = record.key.startsWith('item:');
  return [
    {
      specversion: '1.0',
      id: randomUUID(),
      source: '/gate-lantern/decisions',
      type: outcome === 'cautioned' ? 'decision.cautioned' : 'decision.refused',
      ...(isItem && { subject: id }),
      time: at.toISOString(),
      data: {
        actor: record.actor.replace(/^(?:user|outsider):/, ''),
        ...(record.key.startsWith('space:') && { space: id }),
        ...(record.managed !== null && { device: { managed: record.managed } }),
        detail: record.action,
      },
    },
  ];
}

const issuesOf = ({ issues }: z.ZodError): string =>
  issues.map((i) => `${i.path.join('.') || 'body'}: ${i.message}`).join('; ');

const isAtMoment = ({ rules }: Policy): boolean =>
  rules.some((r) => r.moments?.length && r.mode !== 'paused');

/** Those whose sharing is suspended, as a policy that refuses it to them; it has no number. */
async function suspendedSharing(db: Db): Promise<AtMoment[]> {
  const rows = await db.query<{ key: string }>('select key from sharing_suspended where ended_at is null');
  if (!rows.length) return [];
  const rule = {
    name: 'Suspended sharing',
    moments: ['share' as const],
    if: 'true',
    mode: 'enforce' as const,
    severity: 'high' as const,
    responses: [
      {
        do: 'refuse' as const,
        text: 'Your sharing is suspended until a steward has looked at it. Ask the stewards.',
      },
    ],
  };
  return [
    {
      id: 0,
      version: 0,
      exceptions: [],
      doc: {
        format: 'gate-lantern-policy',
        version: 1,
        name: 'Suspended sharing',
        scope: { of: 'actor', include: { people: rows.map((r) => r.key.slice(r.key.indexOf(':') + 1)) } },
        rules: [
          { ...rule, id: 'suspended-items', subject: 'item' },
          { ...rule, id: 'suspended-spaces', subject: 'space' },
        ],
      },
    },
  ];
}
