/** An identity provider in little, as OpenID Connect Core 1.0 §3.1 has it, which can be told to lie. */
import { createHash } from 'node:crypto';
import { createServer, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { exportJWK, generateKeyPair, SignJWT, UnsecuredJWT, type CryptoKey, type JWK } from 'jose';

export interface Lies {
  nonce?: string;
  issuer?: string;
  audience?: string;
  expired?: boolean;
  /** Signed with a key that it does not publish. */
  otherKey?: boolean;
  unsigned?: boolean;
  /** It takes any verifier. */
  noPkce?: boolean;
  /** It answers with an error, or not at all. */
  down?: boolean;
}

export class LyingProvider {
  private server!: Server;
  private key!: CryptoKey;
  private other!: CryptoKey;
  private jwk!: JWK;
  issuer = '';
  lies: Lies = {};
  /** What was asked of it, by code. */
  private readonly codes = new Map<string, { nonce: string; challenge: string; claims: object }>();

  async start(): Promise<void> {
    const pair = await generateKeyPair('RS256', { extractable: true });
    this.key = pair.privateKey;
    this.other = (await generateKeyPair('RS256')).privateKey;
    this.jwk = { ...(await exportJWK(pair.publicKey)), kid: 'k', alg: 'RS256', use: 'sig' };
    this.server = createServer((req, res) => {
      const send = (status: number, body: unknown): void => {
        res.writeHead(status, { 'content-type': 'application/json' }).end(JSON.stringify(body));
      };
      if (this.lies.down) return send(503, {});
      if (req.url === '/.well-known/openid-configuration')
        return send(200, {
          issuer: this.issuer,
          authorization_endpoint: `${this.issuer}/authorize`,
          token_endpoint: `${this.issuer}/token`,
          jwks_uri: `${this.issuer}/keys`,
          response_types_supported: ['code'],
          subject_types_supported: ['public'],
          id_token_signing_alg_values_supported: ['RS256'],
        });
      if (req.url === '/keys') return send(200, { keys: [this.jwk] });
      let body = '';
      req.on('data', (d) => (body += String(d)));
      req.on('end', () => void this.token(new URLSearchParams(body)).then((t) => send(...t)));
    });
    await new Promise<void>((ready) => this.server.listen(0, '127.0.0.1', ready));
    this.issuer = `http://127.0.0.1:${(this.server.address() as AddressInfo).port}`;
  }

  async stop(): Promise<void> {
    await new Promise((done) => this.server.close(done));
  }

  /** Somebody signs in there: what the browser comes back with. */
  signIn(authorize: URL, claims: object): string {
    const q = authorize.searchParams;
    const code = `code-${this.codes.size}`;
    this.codes.set(code, { nonce: q.get('nonce')!, challenge: q.get('code_challenge')!, claims });
    return `?${new URLSearchParams({ code, state: q.get('state')!, iss: this.issuer })}`;
  }

  private async token(form: URLSearchParams): Promise<[number, unknown]> {
    const asked = this.codes.get(form.get('code') ?? '');
    this.codes.delete(form.get('code') ?? '');
    const verifier = createHash('sha256')
      .update(form.get('code_verifier') ?? '')
      .digest('base64url');
    if (!asked || (!this.lies.noPkce && verifier !== asked.challenge))
      return [400, { error: 'invalid_grant' }];
    if (form.get('client_secret') !== 'the secret') return [401, { error: 'invalid_client' }];
    const { lies } = this;
    const claims = { ...asked.claims, nonce: lies.nonce ?? asked.nonce };
    const now = Math.floor(Date.now() / 1000);
    const about = <T extends SignJWT | UnsecuredJWT>(jwt: T): T =>
      jwt
        .setIssuer(lies.issuer ?? this.issuer)
        .setAudience(lies.audience ?? 'gate-lantern')
        .setIssuedAt(now - 7200 * Number(lies.expired ?? false))
        .setExpirationTime(now + (lies.expired ? -3600 : 300)) as T;
    const id_token = lies.unsigned
      ? about(new UnsecuredJWT(claims)).encode()
      : await about(new SignJWT(claims))
          .setProtectedHeader({ alg: 'RS256', kid: 'k' })
          .sign(lies.otherKey ? this.other : this.key);
    return [200, { access_token: 'a', token_type: 'Bearer', id_token }];
  }
}
