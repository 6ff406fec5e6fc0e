/** The application, as everything that is given it knows it. */
import type { Account, Course } from '../dto/accounts.ts';
import type { Reading } from '../dto/surveys.ts';
import type { Engine } from '../engine/engine.ts';
import type { OpenDb } from '../store/db.ts';
import type { AccountAdmin } from './account-admin.ts';
import type { Accounts } from './accounts.ts';
import type { AppDomains } from './app-domains.ts';
import type { Approvals } from './approvals.ts';
import type { ApiTokens } from './api-tokens.ts';
import type { Events } from './events.ts';
import type { Evidence } from './evidence.ts';
import type { Extracts } from './extracts.ts';
import type { Findings } from './findings.ts';
import type { LedgerHeads } from './ledger-heads.ts';
import type { Ledger } from './ledger.ts';
import type { Partners } from './partners.ts';
import type { PlanParts } from './plans/parts.ts';
import type { Decisions } from './decisions.ts';
import type { Happenings } from './happened/happenings.ts';
import type { Policies } from './policies/policies.ts';
import type { Plans } from './plans/plans.ts';
import type { Recognition } from './recognition.ts';
import type { SecondFactor } from './second-factor.ts';
import type { Surveys } from './survey/surveys.ts';
import type { Tables } from './tables/export.ts';
import type { Tray } from './tray.ts';
import type { Views } from './views.ts';
import type { Watch } from './watch.ts';

import type { Logger } from 'pino';
import type { Metrics } from './metrics.ts';
import type { Mail } from './messages/mail.ts';
import type { Alerts } from './messages/alerts.ts';
import type { Outbox } from './messages/outbox.ts';
import type { Orders } from './orders/orders.ts';
import type { Rounds } from './review/rounds.ts';
import type { Schedule } from './schedule.ts';
import type { Retention } from './retention.ts';
import type { Scopes } from './scopes.ts';
import type { Scim } from './scim.ts';
import type { Sso } from './sso.ts';

export interface App {
  db: OpenDb;
  accounts: Accounts;
  second: SecondFactor;
  retention: Retention;
  mail: Mail;
  sso: Sso;
  scim: Scim;
  tokens: ApiTokens;
  admin: AccountAdmin;
  ledger: Ledger;
  heads: LedgerHeads;
  engine: Engine;
  findings: Findings;
  surveys: Surveys;
  plans: Plans;
  tray: Tray;
  evidence: Evidence;
  extracts: Extracts;
  recognition: Recognition;
  partners: Partners;
  scopes: Scopes;
  appDomains: AppDomains;
  approvals: Approvals;
  tables: Tables;
  watch: Watch;
  views: Views;
  policies: Policies;
  decisions: Decisions;
  happened: Happenings;
  orders: Orders;
  rounds: Rounds;
  outbox: Outbox;
  alerts: Alerts;
  schedule: Schedule;
  /** What plans work with. */
  planParts: PlanParts;
  clock: () => Date;
  log: Logger;
  metrics: Metrics;
  events: Events;
  /** Until the last survey is read after a start; rejected where that fails. */
  ready: Promise<void>;
  /** How far it is read; null once it is. */
  reading(): Promise<Reading | null>;
  readonly isReading: boolean;
  course(account: number): Promise<Course>;
  /** What there is of it for an account: all, or what it is held to. */
  for(account: Account | undefined): App;
  close(): Promise<void>;
}
