/** Heads of a ledger, signed: kept apart, they show a cut end. */
import type { JWK } from 'jose';
import { z } from 'zod';
import type { LedgerHead } from './ledger.ts';
import { readSigned, signJson } from './signed.ts';

const TYPE = 'gate-lantern-ledger-head+jws';
const headSchema = z.strictObject({
  seq: z.number().int().min(1),
  hash: z.string().regex(/^[0-9a-f]{64}$/),
  at: z.iso.datetime(),
});

export const signHead = (head: LedgerHead, privateKey: JWK): Promise<string> =>
  signJson(head, TYPE, privateKey);

/** A head and the thumbprint of the key that signed it; undefined where the signature does not hold or it is none. */
export async function readHead(jws: string): Promise<(LedgerHead & { signedBy: string }) | undefined> {
  try {
    const signed = await readSigned(jws, TYPE);
    const head = signed && headSchema.safeParse(JSON.parse(signed.text)).data;
    return head && { ...head, signedBy: signed.signedBy };
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
