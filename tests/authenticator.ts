/** A passkey in software, as Web Authentication Level 3 §6 has it: an ES256 key, attestation `none`. It can be told to lie. */
import { createHash, createSign, generateKeyPairSync, randomBytes, type KeyObject } from 'node:crypto';
import type { AuthenticationResponseJSON, RegistrationResponseJSON } from '@simplewebauthn/server';

/** CBOR (RFC 8949) of what an attestation and a COSE key hold: whole numbers, texts, bytes, and maps of them. */
function cbor(value: number | string | Uint8Array | Map<number | string, unknown>): Buffer {
  const head = (major: number, n: number): Buffer =>
    n < 24
      ? Buffer.from([(major << 5) | n])
      : n < 256
        ? Buffer.from([(major << 5) | 24, n])
        : Buffer.from([(major << 5) | 25, n >> 8, n & 255]);
  if (typeof value === 'number') return value < 0 ? head(1, -1 - value) : head(0, value);
  if (typeof value === 'string')
    return Buffer.concat([head(3, Buffer.byteLength(value)), Buffer.from(value)]);
  if (value instanceof Map)
    return Buffer.concat([
      head(5, value.size),
      ...[...value].flatMap(([k, v]) => [cbor(k), cbor(v as number)]),
    ]);
  return Buffer.concat([head(2, value.length), value]);
}
const sha256 = (data: string | Uint8Array): Buffer => createHash('sha256').update(data).digest();

export interface Site {
  rpId: string;
  origin: string;
}

export class Authenticator {
  private readonly id = randomBytes(32);
  private readonly keys: { publicKey: KeyObject; privateKey: KeyObject } = generateKeyPairSync('ec', {
    namedCurve: 'P-256',
  });
  counter = 0;

  private clientData(type: 'webauthn.create' | 'webauthn.get', challenge: string, origin: string): Buffer {
    return Buffer.from(JSON.stringify({ type, challenge, origin, crossOrigin: false }));
  }

  private data(rpId: string, attested?: Buffer): Buffer {
    const counter = Buffer.alloc(4);
    counter.writeUInt32BE(++this.counter);
    // user present and verified; with a key where one is made
    const flags = Buffer.from([attested ? 0x45 : 0x05]);
    return Buffer.concat([sha256(rpId), flags, counter, ...(attested ? [attested] : [])]);
  }

  make(challenge: string, { rpId, origin }: Site): RegistrationResponseJSON {
    const { x, y } = this.keys.publicKey.export({ format: 'jwk' });
    const cose = cbor(
      new Map<number, unknown>([
        [1, 2],
        [3, -7],
        [-1, 1],
        [-2, Buffer.from(x!, 'base64url')],
        [-3, Buffer.from(y!, 'base64url')],
      ]),
    );
    const attested = Buffer.concat([Buffer.alloc(16), Buffer.from([0, this.id.length]), this.id, cose]);
    const object = cbor(
      new Map<string, unknown>([
        ['fmt', 'none'],
        ['attStmt', new Map()],
        ['authData', this.data(rpId, attested)],
      ]),
    );
    const id = this.id.toString('base64url');
    return {
      id,
      rawId: id,
      type: 'public-key',
      clientExtensionResults: {},
      response: {
        clientDataJSON: this.clientData('webauthn.create', challenge, origin).toString('base64url'),
        attestationObject: object.toString('base64url'),
        transports: ['internal'],
      },
    };
  }

  answer(challenge: string, { rpId, origin }: Site): AuthenticationResponseJSON {
    const data = this.data(rpId);
    const client = this.clientData('webauthn.get', challenge, origin);
    const signature = createSign('sha256')
      .update(Buffer.concat([data, sha256(client)]))
      .sign(this.keys.privateKey);
    const id = this.id.toString('base64url');
    return {
      id,
      rawId: id,
      type: 'public-key',
      clientExtensionResults: {},
      response: {
        clientDataJSON: client.toString('base64url'),
        authenticatorData: data.toString('base64url'),
        signature: signature.toString('base64url'),
      },
    };
  }
}
