import { describe, expect, it } from 'vitest';
import { calculateJwkThumbprint, CompactSign, importJWK } from 'jose';
import { CHANGE_STATE_NAMES } from '../core/remedy/states.ts';
import { checkEvidence, signEvidence, type EvidencePayload } from './evidence.ts';
import { FIRST_PREVIOUS, ledgerHash, type LedgerEntry } from './ledger.ts';

// RFC 8037, appendix A.1: an Ed25519 key; A.3: its thumbprint (values from memory)
const KEY = {
  kty: 'OKP',
  crv: 'Ed25519',
  d: 'nWGxne_9WmC6hEr0kuwsxERJxWl7MmkZcDusAxyuf2A',
  x: '11qYAYKxCrfVS_7TyWQHOg7hcvPapiMlrwIaaPcHURo',
};
const THUMBPRINT = 'kPrK_qmxVWaYVA9wwBF6Iuo3vVzz7TxHCTwXBygrS4k';

function entry(seq: number, what: string, previous: string): LedgerEntry {
  const e = {
    seq,
    at: '2026-11-27T00:00:00.000Z',
    who: 'steward@tarntide.example',
    what,
    subject: what.startsWith('plan.change') ? 'grant drives/g1' : 'plan 7',
    before: null,
    after: { plan: 7 },
    previous,
  };
  return { ...e, hash: ledgerHash(e) };
}
const first = entry(4, 'plan.made', FIRST_PREVIOUS);
const second = entry(5, 'plan.change.verified', first.hash);
const PAYLOAD: EvidencePayload = {
  format: 'gate-lantern-evidence',
  version: 1,
  issuedAt: '2026-11-27T00:00:00.000Z',
  issuedBy: 'auditor@tarntide.example',
  organisation: 'Tarn & Tide Ferries',
  plan: { id: 7, name: 'Close it', state: 'applied' },
  changes: [
    { kind: 'grant', source: 'drives', id: 'g1', state: 'verified', before: { role: 'editor' }, after: null },
  ],
  ledger: [first, second],
};

describe('signed evidence', () => {
  it('holds by itself, under the thumbprint that RFC 7638 gives the key of RFC 8037', async () => {
    expect(await calculateJwkThumbprint({ kty: KEY.kty, crv: KEY.crv, x: KEY.x })).toBe(THUMBPRINT);
    const jws = await signEvidence(PAYLOAD, KEY);
    expect(await checkEvidence(jws, THUMBPRINT)).toMatchObject({
      holds: true,
      changes: 1,
      entries: 2,
      signedBy: THUMBPRINT,
    });
    // the private part of the key is not in it
    expect(Buffer.from(jws.split('.')[0]!, 'base64url').toString()).not.toContain(KEY.d);
  });

  it('holds no more when any letter of it is another', async () => {
    const jws = await signEvidence(PAYLOAD, KEY);
    for (let at = 0; at < jws.length; at += 37) {
      const c = jws[at] === 'A' ? 'B' : 'A';
      const other = jws.slice(0, at) + c + jws.slice(at + 1);
      // the last letter of a part of base64url may hold bits that say nothing
      if (Buffer.from(other, 'base64url').equals(Buffer.from(jws, 'base64url'))) continue;
      expect((await checkEvidence(other)).holds, `letter ${at}`).toBe(false);
    }
  });

  it('does not hold where the ledger in it was altered, or says something else than the plan, though it is signed', async () => {
    const sign = (p: object) => signEvidence({ ...PAYLOAD, ...p }, KEY);
    const reason = async (p: object) => {
      const r = await checkEvidence(await sign(p));
      return r.holds ? 'holds' : r.reason;
    };
    expect(await reason({ ledger: [first, { ...second, who: 'somebody else' }] })).toMatch(/entry 5/);
    expect(await reason({ ledger: [second, first] })).toMatch(/out of order/);
    expect(await reason({ ledger: [first, entry(5, 'plan.change.verified', 'f'.repeat(64))] })).toMatch(
      /does not follow/,
    );
    expect(await reason({ changes: [{ ...PAYLOAD.changes[0]!, state: 'undone' }] })).toMatch(
      /ledger says “verified”/,
    );
    expect(await reason({ changes: [{ ...PAYLOAD.changes[0]!, id: 'g2' }] })).toMatch(
      /nothing of the grant g2/,
    );
  });

  it('holds exactly where the plan and the ledger agree on the state of a change', async () => {
    const { changes } = PAYLOAD;
    for (const state of CHANGE_STATE_NAMES)
      for (const said of [undefined, ...CHANGE_STATE_NAMES]) {
        const entries = said ? [first, entry(5, `plan.change.${said}`, first.hash)] : [first];
        const jws = await signEvidence(
          { ...PAYLOAD, changes: [{ ...changes[0]!, state }], ledger: entries },
          KEY,
        );
        const unsaid = {
          planned: [undefined, 'failed'],
          left: [undefined, 'failed'],
          'undo-planned': ['verified', 'undo-failed'],
        }[state as string];
        expect((await checkEvidence(jws)).holds, `plan ${state}, ledger ${said}`).toBe(
          (unsaid ?? [state]).includes(said),
        );
      }
  });

  it('refuses what is no evidence: other algorithms, other types, no key, and what is not JSON', async () => {
    const bytes = new TextEncoder().encode(JSON.stringify(PAYLOAD));
    const { d: _, ...jwk } = KEY;
    const signed = (header: object) =>
      new CompactSign(bytes)
        .setProtectedHeader({ alg: 'EdDSA', ...header })
        .sign(importJWK(KEY, 'EdDSA') as never);
    const secret = new TextEncoder().encode('x'.repeat(32));
    const hmac = await new CompactSign(bytes)
      .setProtectedHeader({ alg: 'HS256', typ: 'gate-lantern-evidence+jws', jwk })
      .sign(secret);
    const none = `${Buffer.from(JSON.stringify({ alg: 'none', jwk })).toString('base64url')}.${Buffer.from(bytes).toString('base64url')}.`;
    for (const text of ['', 'a.b.c', hmac, none]) expect((await checkEvidence(text)).holds).toBe(false);
    await expect(signed({ jwk })).rejects.toThrow();
  });
});
