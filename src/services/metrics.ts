/** Numbers for whoever watches the server, in the OpenMetrics text format; nothing of what is in the workspaces is in them. */
import { createHash, timingSafeEqual } from 'node:crypto';
import { collectDefaultMetrics, Counter, Gauge, Histogram, Registry } from 'prom-client';
import type { Db } from '../store/db.ts';

export class Metrics {
  private readonly registry = new Registry();
  private readonly requests = new Histogram({
    name: 'gate_lantern_request_seconds',
    help: 'Requests by route, method and status',
    labelNames: ['method', 'route', 'status'],
    buckets: [0.01, 0.05, 0.1, 0.25, 0.5, 1, 2.5, 5, 10, 30],
    registers: [this.registry],
  });
  private readonly jobs = new Counter({
    name: 'gate_lantern_jobs_total',
    help: 'Jobs that ended, by kind and state',
    labelNames: ['kind', 'state'],
    registers: [this.registry],
  });

  constructor(db: Db, clock: () => Date) {
    collectDefaultMetrics({ register: this.registry });
    const gauge = (name: string, help: string, sql: string): void => {
      new Gauge({
        name: `gate_lantern_${name}`,
        help,
        registers: [this.registry],
        async collect() {
          const [row] = await db.query<{ n: number | null }>(sql, [clock()]);
          this.set(row?.n ?? 0);
        },
      });
    };
    gauge(
      'survey_age_seconds',
      'Time since the survey in force was taken; 0 before the first',
      "select extract(epoch from $1::timestamptz - max(taken_at))::float8 as n from survey where state = 'done'",
    );
    gauge(
      'open_findings',
      'Findings that are open',
      "select count(*)::int as n from finding where state in ('open', 'reopened') and $1::timestamptz is not null",
    );
    gauge(
      'refused_sign_ins',
      'Tries to sign in that failed in the last quarter of an hour',
      "select count(*)::int as n from sign_in_try where at > $1::timestamptz - interval '15 minutes'",
    );
    gauge(
      'ledger_entries',
      'Entries of the ledger',
      'select coalesce(max(seq), 0)::int as n from ledger where $1::timestamptz is not null',
    );
  }

  request(method: string, route: string, status: number, seconds: number): void {
    this.requests.observe({ method, route, status: String(status) }, seconds);
  }

  job(kind: string, state: string): void {
    this.jobs.inc({ kind, state });
  }

  async text(): Promise<{ type: string; text: string }> {
    return { type: this.registry.contentType, text: await this.registry.metrics() };
  }
}

/** Whether a request may read the numbers: with the token that the operator set, and not at all where none is set. */
export function mayMeasure(authorization: string | undefined, env: NodeJS.ProcessEnv): boolean {
  const token = env.GATE_LANTERN_METRICS_TOKEN;
  if (!token) return false;
  const digest = (text: string): Buffer => createHash('sha256').update(text).digest();
  return timingSafeEqual(digest(authorization ?? ''), digest(`Bearer ${token}`));
}
