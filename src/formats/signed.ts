/**
 * JSON that is signed: JWS in compact form (RFC 7515) with Ed25519 (RFC 8037). The public key travels in the header;
 * who trusts it compares its thumbprint (RFC 7638).
 */
import { calculateJwkThumbprint, CompactSign, compactVerify, importJWK, type JWK } from 'jose';

export async function signJson(value: unknown, type: string, privateKey: JWK): Promise<string> {
  const { d: _, ...jwk } = privateKey;
  return new CompactSign(new TextEncoder().encode(JSON.stringify(value)))
    .setProtectedHeader({ alg: 'EdDSA', typ: type, kid: await calculateJwkThumbprint(jwk), jwk })
    .sign(await importJWK(privateKey, 'EdDSA'));
}

/**
 * What was signed, as text, and the thumbprint of the key that signed it; undefined where its header is not that of
 * the type. Throws where the signature does not hold.
 */
export async function readSigned(
  jws: string,
  type: string,
): Promise<{ text: string; signedBy: string } | undefined> {
  const { payload, protectedHeader } = await compactVerify(
    jws.trim(),
    async ({ jwk }) => {
      if (jwk?.kty !== 'OKP' || jwk.crv !== 'Ed25519') throw new Error('no Ed25519 key');
      return importJWK(jwk as JWK, 'EdDSA');
    },
    { algorithms: ['EdDSA'] },
  );
  const signedBy = await calculateJwkThumbprint(protectedHeader.jwk as JWK);
  if (protectedHeader.typ !== type || protectedHeader.kid !== signedBy) return undefined;
  return { text: new TextDecoder().decode(payload), signedBy };
}
