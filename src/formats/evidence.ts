/**
 * A plan as evidence: what was to be changed and why, who approved it, what was there before and after,
 * and its entries of the ledger, signed.
 */
import { calculateJwkThumbprint, type JWK } from 'jose';
import { z } from 'zod';
import { agrees, CHANGE_STATE_NAMES, type ChangeState } from '../core/remedy/states.ts';
import { ledgerHash, type LedgerEntry } from './ledger.ts';
import { readSigned, signJson } from './signed.ts';

const entrySchema = z.object({
  seq: z.number().int(),
  at: z.string(),
  who: z.string(),
  what: z.string(),
  subject: z.string(),
  before: z.unknown(),
  after: z.unknown(),
  previous: z.string(),
  hash: z.string(),
});
const payloadSchema = z.object({
  format: z.literal('gate-lantern-evidence'),
  version: z.literal(1),
  issuedAt: z.string(),
  issuedBy: z.string(),
  organisation: z.string(),
  plan: z.looseObject({ id: z.number().int(), name: z.string(), state: z.string() }),
  changes: z.array(
    z.looseObject({
      kind: z.string(),
      source: z.string(),
      id: z.string(),
      state: z.enum(CHANGE_STATE_NAMES),
      before: z.unknown(),
      after: z.unknown(),
    }),
  ),
  ledger: z.array(entrySchema),
});
export type EvidencePayload = z.infer<typeof payloadSchema>;

const TYPE = 'gate-lantern-evidence+jws';

export const signEvidence = (payload: EvidencePayload, privateKey: JWK): Promise<string> =>
  signJson(payload, TYPE, privateKey);

export type EvidenceCheck =
  | {
      holds: true;
      plan: string;
      state: string;
      changes: number;
      entries: number;
      issuedAt: string;
      /** Thumbprint of the key that signed it: to be compared with the installation's own. */
      signedBy: string;
    }
  | { holds: false; reason: string };

/** The thumbprint (RFC 7638) of a key as JSON: a JWK, or an object whose `jwk` is one. Undefined where it is none. */
export async function thumbprintOf(json: string): Promise<string | undefined> {
  try {
    const key = JSON.parse(json) as JWK & { jwk?: JWK };
    return await calculateJwkThumbprint(key.jwk ?? key);
  } catch {
    return undefined;
  }
}

/** The longest evidence that is read, in bytes. */
export const LONGEST_EVIDENCE = 64 * 1024 * 1024;

/**
 * Checks evidence by itself: its signature, that it is by the key of the thumbprint where one is named, the
 * hash of every ledger entry in it, and that each change says of itself what the ledger says of it.
 */
export async function checkEvidence(jws: string, thumbprint?: string): Promise<EvidenceCheck> {
  const not = (reason: string): EvidenceCheck => ({ holds: false, reason });
  let payload: EvidencePayload;
  let signedBy: string;
  try {
    const signed = await readSigned(jws, TYPE);
    if (!signed) return not('its header is not that of evidence');
    ({ signedBy } = signed);
    const parsed = payloadSchema.safeParse(JSON.parse(signed.text));
    if (!parsed.success)
      return not(`its content is not that of evidence: ${parsed.error.issues[0]!.message}`);
    payload = parsed.data;
  } catch {
    return not('the signature does not hold, or it is no evidence at all');
  }
  if (thumbprint !== undefined && thumbprint !== signedBy)
    return not(`it is signed by the key ${signedBy}, not by ${thumbprint}`);
  let before: LedgerEntry | undefined;
  for (const e of payload.ledger as LedgerEntry[]) {
    if (ledgerHash(e) !== e.hash) return not(`ledger entry ${e.seq} does not have the hash it carries`);
    if (before && e.seq <= before.seq) return not(`ledger entry ${e.seq} is out of order`);
    if (before && e.seq === before.seq + 1 && e.previous !== before.hash)
      return not(`ledger entry ${e.seq} does not follow the one before it`);
    before = e;
  }
  for (const c of payload.changes) {
    const said = payload.ledger.findLast(
      (e) =>
        e.subject === `${c.kind} ${c.source}/${c.id}` &&
        e.what.startsWith('plan.change.') &&
        e.what !== 'plan.change.came-back' &&
        (e.after as { plan?: number } | null)?.plan === payload.plan.id,
    );
    const state = said?.what.slice('plan.change.'.length) as ChangeState | undefined;
    if (!agrees(c.state, state))
      return not(
        state === undefined
          ? `the ledger has nothing of the ${c.kind} ${c.id}`
          : `the ledger says “${state}” of the ${c.kind} ${c.id}, the plan “${c.state}”`,
      );
  }
  return {
    holds: true,
    plan: payload.plan.name,
    state: payload.plan.state,
    changes: payload.changes.length,
    entries: payload.ledger.length,
    issuedAt: payload.issuedAt,
    signedBy,
  };
}
