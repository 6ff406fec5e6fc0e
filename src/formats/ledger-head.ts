/** Heads of a ledger, signed (JWS in compact form, RFC 7515, with Ed25519, RFC 8037): kept apart, they show a cut end. */
import { calculateJwkThumbprint, CompactSign, compactVerify, importJWK, type JWK } from 'jose';
import { z } from 'zod';
import type { LedgerHead } from './ledger.ts';

const TYPE = 'gate-lantern-ledger-head+jws';
const headSchema = z.strictObject({
  seq: z.number().int().min(1),
  hash: z.string().regex(/^[0-9a-f]{64}$/),
  at: z.iso.datetime(),
});

export async function signHead(head: LedgerHead, privateKey: JWK): Promise<string> {
  const { d: _, ...jwk } = privateKey;
  return new CompactSign(new TextEncoder().encode(JSON.stringify(head)))
    .setProtectedHeader({ alg: 'EdDSA', typ: TYPE, kid: await calculateJwkThumbprint(jwk), jwk })
    .sign(await importJWK(privateKey, 'EdDSA'));
}

/** A head and the thumbprint of the key that signed it; undefined where the signature does not hold or it is none. */
export async function readHead(jws: string): Promise<(LedgerHead & { signedBy: string }) | undefined> {
  try {
    const { payload, protectedHeader } = await compactVerify(
      jws.trim(),
      async ({ jwk }) => {
        if (jwk?.kty !== 'OKP' || jwk.crv !== 'Ed25519') throw new Error('no Ed25519 key');
        return importJWK(jwk as JWK, 'EdDSA');
      },
      { algorithms: ['EdDSA'] },
    );
    const signedBy = await calculateJwkThumbprint(protectedHeader.jwk as JWK);
    if (protectedHeader.typ !== TYPE || protectedHeader.kid !== signedBy) return undefined;
    const { data } = headSchema.safeParse(JSON.parse(new TextDecoder().decode(payload)));
    return data && { ...data, signedBy };
  } catch {
    return undefined;
  }
}

/** Heads as a file, one JWS a line. `bad`: numbers of the lines that are none, or signed by another key than named. */
export async function readHeads(
  text: string,
  thumbprint: string,
): Promise<{ heads: LedgerHead[]; bad: number[] }> {
  const heads: LedgerHead[] = [];
  const bad: number[] = [];
  for (const [n, line] of text.split('\n').entries()) {
    if (!line.trim()) continue;
    const head = await readHead(line);
    if (head?.signedBy !== thumbprint) bad.push(n + 1);
    else heads.push({ seq: head.seq, hash: head.hash, at: head.at });
  }
  return { heads, bad };
}
