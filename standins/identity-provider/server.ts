/**
 * A simulated identity provider (OpenID Connect): everybody of the directory can sign in, by address and without a
 * password, because they are made up. Its `groups` claim names the groups that somebody is in.
 */
import { createServer, type IncomingMessage, type ServerResponse } from 'node:http';
import { generateKeyPairSync, randomBytes } from 'node:crypto';
import Provider, { type KoaContextWithOIDC } from 'oidc-provider';
import { escapeHtml } from '../../src/core/html.ts';
import type { Row } from '../state.ts';
import { state } from '../world.ts';

const CLIENT = 'gate-lantern';

interface Person extends Row {
  displayName?: string;
  active?: boolean;
  emails?: { value: string; primary?: boolean }[];
}

const addressOf = (p: Person): string | undefined =>
  (p.emails?.find((e) => e.primary) ?? p.emails?.[0])?.value.toLowerCase();

const people = (): Person[] => [...state.rows.users.values()] as Person[];

const groupsOf = (id: string): string[] =>
  [...state.rows.groups.values()]
    .filter((g) => (g.members as { value: string }[]).some((m) => m.value === id))
    .map((g) => String(g.displayName));

/** Starts it on a free port; gives its address. */
export async function identityProvider(secret: string): Promise<string> {
  const { privateKey } = generateKeyPairSync('rsa', { modulusLength: 2048 });
  const server = createServer();
  await new Promise<void>((ready) => server.listen(0, '127.0.0.1', ready));
  const issuer = `http://127.0.0.1:${(server.address() as { port: number }).port}`;
  const provider = new Provider(issuer, {
    clients: [
      {
        client_id: CLIENT,
        client_secret: secret,
        // a loopback address of any port will do: see below
        redirect_uris: ['http://127.0.0.1/api/session/sso-back'],
        token_endpoint_auth_method: 'client_secret_post',
      },
    ],
    jwks: { keys: [{ ...privateKey.export({ format: 'jwk' }), use: 'sig', alg: 'RS256' }] },
    cookies: { keys: [randomBytes(24).toString('hex')] },
    claims: { openid: ['sub'], email: ['email', 'email_verified'], profile: ['name', 'groups'] },
    // what is asked for stands in the ID token itself
    conformIdTokenClaims: false,
    features: { devInteractions: { enabled: false } },
    interactions: { url: (_: KoaContextWithOIDC, { uid }: { uid: string }) => `/interaction/${uid}` },
    pkce: { required: () => true },
    findAccount: (_: KoaContextWithOIDC, id: string) => {
      const person = people().find((p) => p.id === id);
      if (!person?.active) return undefined;
      return {
        accountId: id,
        claims: () => ({
          sub: id,
          email: addressOf(person),
          email_verified: true,
          name: person.displayName,
          groups: groupsOf(id),
        }),
      };
    },
  });
  const { Client } = provider as unknown as {
    Client: { prototype: { redirectUriAllowed(uri: string): boolean } };
  };
  Client.prototype.redirectUriAllowed = (uri) => {
    const { hostname, pathname } = new URL(uri);
    return ['127.0.0.1', 'localhost'].includes(hostname) && pathname === '/api/session/sso-back';
  };
  const callback = provider.callback();
  server.on('request', (req: IncomingMessage, res: ServerResponse) => {
    if (!req.url!.startsWith('/interaction/')) return void callback(req, res);
    interact(provider, req, res).catch((e: unknown) => {
      res.writeHead(400, { 'content-type': 'text/plain' }).end(String(e));
    });
  });
  return issuer;
}

async function interact(provider: Provider, req: IncomingMessage, res: ServerResponse): Promise<void> {
  const { prompt, params, session, grantId } = await provider.interactionDetails(req, res);
  if (prompt.name === 'consent') {
    const grant =
      (grantId && (await provider.Grant.find(grantId))) ||
      new provider.Grant({ accountId: session!.accountId, clientId: String(params.client_id) });
    grant.addOIDCScope(String(params.scope));
    return provider.interactionFinished(req, res, { consent: { grantId: await grant.save() } });
  }
  let trouble = '';
  if (req.method === 'POST') {
    let body = '';
    for await (const piece of req) body += String(piece);
    const form = new URLSearchParams(body);
    if (form.get('act') === 'refuse')
      return provider.interactionFinished(req, res, { error: 'access_denied' });
    const address = form.get('address')?.trim().toLowerCase();
    const person = people().find((p) => p.active && addressOf(p) === address);
    if (person) return provider.interactionFinished(req, res, { login: { accountId: person.id } });
    trouble = 'Nobody of this address works here.';
  }
  const options = people()
    .filter((p) => p.active && addressOf(p))
    .slice(0, 500)
    .map((p) => `<option value="${escapeHtml(addressOf(p)!)}">${escapeHtml(p.displayName ?? '')}</option>`)
    .join('');
  res.writeHead(200, { 'content-type': 'text/html; charset=utf-8' });
  res.end(`<!doctype html><html lang="en"><meta charset="utf-8"><title>Tarn &amp; Tide sign-in</title>
<style>body{font:16px system-ui;max-width:26rem;margin:14vh auto;color:#1d2b33;background:#eef2f3}input,button{font:inherit;padding:.5rem .7rem;width:100%;box-sizing:border-box;margin:.3rem 0}</style>
<h1>Tarn &amp; Tide sign-in</h1><p>Everybody here is made up, so an address is enough.</p>
<form method="post"><label>E-mail address<input name="address" list="people" required autofocus></label><datalist id="people">${options}</datalist>
<p role="alert">${trouble}</p><button>Continue</button></form>
<form method="post"><input type="hidden" name="act" value="refuse"><button>Cancel</button></form></html>`);
}
