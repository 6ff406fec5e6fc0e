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
