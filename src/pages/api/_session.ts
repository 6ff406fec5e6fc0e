/** What signing in has to do with the browser: cookies, and what is known of where a request comes from. */
import type { APIContext } from 'astro';
import { SCHEME_HEADER, SOURCE_HEADER } from '../../dto/headers.ts';
import type { From, HalfSigned, Signed } from '../../services/accounts.ts';
import type { Site } from '../../services/second-factor.ts';
import type { SignedIn } from '../../dto/accounts.ts';
import { SESSION_COOKIE } from './_endpoint.ts';

const DEVICE_COOKIE = 'gate-lantern-device';
const DEVICE_SECONDS = 180 * 86_400;
/** Of a sign-in that wants a second factor; it is good for some minutes, and for nothing else. */
const HALF_COOKIE = 'gate-lantern-half';
const HALF_PATH = '/api/session';

type Web = Pick<APIContext, 'request' | 'cookies'>;
const schemeOf = ({ request }: Web): string => request.headers.get(SCHEME_HEADER) ?? 'http';

export const halfOf = ({ cookies }: Web): string | undefined => cookies.get(HALF_COOKIE)?.value;

export const fromOf = ({ request, cookies }: Web): From => ({
  source: request.headers.get(SOURCE_HEADER) ?? 'unknown',
  device: cookies.get(DEVICE_COOKIE)?.value,
  agent: request.headers.get('user-agent') ?? undefined,
});

/** The name and origin by which the browser knows us: a passkey is bound to them. */
export function siteOf(web: Web): Site {
  const { host, hostname } = new URL(`${schemeOf(web)}://${web.request.headers.get('host')}`);
  return { rpId: hostname, origin: `${schemeOf(web)}://${host}` };
}

/** Gives the browser its session, or what it ends its sign-in with. */
export function signedIn(web: Web, signed: Signed | HalfSigned): SignedIn {
  const { cookies } = web;
  const cookie = {
    httpOnly: true,
    sameSite: 'strict',
    path: '/',
    secure: schemeOf(web) === 'https',
  } as const;
  if ('half' in signed) {
    cookies.set(HALF_COOKIE, signed.half, { ...cookie, path: HALF_PATH });
    return { wants: signed.wants };
  }
  cookies.set(SESSION_COOKIE, signed.token, cookie);
  // it lets nobody in: it only says that this browser has been here
  cookies.set(DEVICE_COOKIE, signed.device, { ...cookie, path: HALF_PATH, maxAge: DEVICE_SECONDS });
  if (cookies.has(HALF_COOKIE)) cookies.delete(HALF_COOKIE, { path: HALF_PATH });
  return { wants: [] };
}

const BEGUN_COOKIE = 'gate-lantern-begun';
const BEGUN_PATH = '/api/session/sso-back';

/** What was begun at the identity provider. It comes back from another site, and so it is `lax`; what is in it is sealed. */
export function keepBegun(web: Web, begun: string): void {
  web.cookies.set(BEGUN_COOKIE, begun, {
    httpOnly: true,
    sameSite: 'lax',
    path: BEGUN_PATH,
    secure: schemeOf(web) === 'https',
    maxAge: 600,
  });
}

/** It is good once. */
export function begunOf({ cookies }: Web): string | undefined {
  const begun = cookies.get(BEGUN_COOKIE)?.value;
  cookies.delete(BEGUN_COOKIE, { path: BEGUN_PATH });
  return begun;
}

const page = (path: string): Response =>
  new Response(
    `<!doctype html><meta charset="utf-8"><title>Gate Lantern</title><meta http-equiv="refresh" content="0;url=${path
      .replaceAll('&', '&amp;')
      .replaceAll('"', '&quot;')
      .replaceAll('<', '&lt;')}">`,
    {
      headers: {
        'content-type': 'text/html; charset=utf-8',
        'content-security-policy': "default-src 'none'",
      },
    },
  );

/** Goes on from a page of our own: a browser that was sent here by another site does not show its session to us yet. */
export const onwards = (to: string): Response => page(to);

/** What goes wrong on the way is told on the sign-in page, not as problem details that nobody reads. */
export async function troubled(work: () => Promise<Response>): Promise<Response> {
  try {
    return await work();
  } catch (e) {
    const why = /^sso-([a-z]+)$/.exec((e as { code?: string }).code ?? '')?.[1];
    if (!why) throw e;
    return page(`/sign-in?trouble=${why}`);
  }
}
