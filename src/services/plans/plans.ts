/**
 * Plans: changes with their preview, approved where that is wanted, applied at once or at a time, verified at the
 * workspace, proven on what was read back, and undone as a whole or in part.
 */
import { Drafts } from './drafts.ts';
import { Limits } from './limits.ts';
import type { PlanParts } from './parts.ts';
import { Proofs } from './proof.ts';
import { PlanQueries } from './queries.ts';
import { Runner } from './runner.ts';

export class Plans {
  readonly drafts: Drafts;
  readonly proofs: Proofs;
  readonly runner: Runner;
  readonly queries: PlanQueries;
  readonly limits: Limits;

  constructor(parts: PlanParts) {
    this.drafts = new Drafts(parts);
    this.proofs = new Proofs(parts);
    this.runner = new Runner(parts, this.drafts, this.proofs);
    this.limits = new Limits(parts);
    this.queries = new PlanQueries(parts, this.drafts);
  }
}
