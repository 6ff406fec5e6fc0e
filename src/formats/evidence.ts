/**
 * A plan as evidence: what was to be changed and why, who approved it, what was there before and after,
 * and its entries of the ledger, signed. A round of review: who was asked about what, and what they answered.
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
const headSchema = z.object({
  version: z.literal(1),
  issuedAt: z.string(),
  issuedBy: z.string(),
  organisation: z.string(),
  ledger: z.array(entrySchema),
});
const payloadSchema = headSchema.extend({
  format: z.literal('gate-lantern-evidence'),
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
});
export type EvidencePayload = z.infer<typeof payloadSchema>;

const roundPayloadSchema = headSchema.extend({
  format: z.literal('gate-lantern-round-evidence'),
  round: z.looseObject({ id: z.number().int(), name: z.string(), state: z.string() }),
  questions: z.array(
    z.looseObject({
      id: z.number().int(),
      space: z.string(),
      state: z.string(),
      things: z.array(
        z.looseObject({
          name: z.string(),
          answer: z.looseObject({ what: z.string(), how: z.string() }).nullable(),
        }),
      ),
    }),
  ),
});
export type RoundEvidence = z.infer<typeof roundPayloadSchema>;

const TYPE = 'gate-lantern-evidence+jws';

export const signEvidence = (payload: EvidencePayload | RoundEvidence, privateKey: JWK): Promise<string> =>
  signJson(payload, TYPE, privateKey);

export type EvidenceCheck =
  | {
      holds: true;
      plan: string;
      state: string;
      changes: number;
      entries: number;
      issuedAt: string;
      signedBy: string;
    }
  | {
      holds: true;
      round: string;
      state: string;
      spaces: number;
      answers: number;
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
  let payload: EvidencePayload | RoundEvidence;
  let signedBy: string;
  try {
    const signed = await readSigned(jws, TYPE);
    if (!signed) return not('its header is not that of evidence');
    ({ signedBy } = signed);
    const parsed = z
      .discriminatedUnion('format', [payloadSchema, roundPayloadSchema])
      .safeParse(JSON.parse(signed.text));
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
  const common = { entries: payload.ledger.length, issuedAt: payload.issuedAt, signedBy };
  if (payload.format === 'gate-lantern-round-evidence') {
    const wrong = wrongAnswers(payload);
    if (wrong) return not(wrong);
    return {
      holds: true,
      round: payload.round.name,
      state: payload.round.state,
      spaces: payload.questions.length,
      answers: payload.questions.reduce((n, q) => n + q.things.filter((t) => t.answer).length, 0),
      ...common,
    };
  }
  const { plan } = payload;
  for (const c of payload.changes) {
    const said = payload.ledger.findLast(
      (e) =>
        e.subject === `${c.kind} ${c.source}/${c.id}` &&
        e.what.startsWith('plan.change.') &&
        e.what !== 'plan.change.came-back' &&
        (e.after as { plan?: number } | null)?.plan === plan.id,
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
    plan: plan.name,
    state: plan.state,
    changes: payload.changes.length,
    ...common,
  };
}

/** Why the answers of a round are not those that the ledger tells of; undefined where they are. */
function wrongAnswers({ questions, ledger }: RoundEvidence): string | undefined {
  for (const q of questions) {
    const said = new Map<string, number>();
    for (const e of ledger)
      if (e.subject === `question ${q.id}` && e.what === 'question.answered')
        for (const [what, n] of Object.entries(e.after as Record<string, number>))
          said.set(what, (said.get(what) ?? 0) + n);
    const told = new Map<string, number>();
    for (const { answer } of q.things)
      if (answer?.how === 'asked') told.set(answer.what, (told.get(answer.what) ?? 0) + 1);
    for (const what of new Set([...said.keys(), ...told.keys()]))
      if (said.get(what) !== told.get(what))
        return `the ledger tells of ${said.get(what) ?? 0} answers “${what}” about ${q.space}, the round of ${told.get(what) ?? 0}`;
  }
  return undefined;
}
