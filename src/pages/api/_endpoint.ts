/**
 * The only way to make an endpoint: it declares the role it needs and the input it takes, and both
 * are held before anything runs. `npm run check` refuses an endpoint that is made otherwise.
 */
import type { APIContext, APIRoute } from 'astro';
import type { z } from 'zod';
import { mayDo } from '../../core/roles.ts';
import type { App } from '../../services/app.ts';
import type { Account, AccountRole } from '../../dto/accounts.ts';
import { getApp } from '../../services/instance.ts';
import { SCHEME_HEADER } from '../../dto/headers.ts';
import { problem } from './_problem.ts';

export const SESSION_COOKIE = 'gate-lantern';
/** `public`: without signing in. Otherwise the least role that may. */
export type NeededRole = 'public' | AccountRole;

const LONGEST_BODY = 1_000_000;

/**
 * What an endpoint is about: the whole organisation, what the account that asks keeps for itself, or neither. A role
 * says what somebody may do, its scope of what; an account that is held to a part gets answers about that part.
 */
export type Scope = 'organisation' | 'account' | 'none';

export interface Declaration<S extends z.ZodType, O> {
  role: NeededRole;
  scope: Scope;
  /** Of the query where the method is GET, else of the JSON body; values of the path are added. */
  input: S;
  /** It is answered while the last survey is still being read after a start, as what is public is. */
  early?: true;
  /** It is answered to whom a second factor is demanded of that they do not have yet. */
  unproven?: true;
  /** It is about how one signs in, and so answered to a browser alone, never to a token. */
  session?: true;
  /** The body is no JSON but bytes that `run` reads itself; `input` is of the query then. */
  stream?: true;
  /** It is asked by machines that sign what they send; `run` looks at the signature before anything else. */
  signed?: true;
  run(ctx: { app: App; input: z.infer<S>; account: Account; token: string; context: APIContext }): Promise<O>;
}
export type Endpoint<S extends z.ZodType = z.ZodType, O = unknown> = APIRoute & {
  declared: { role: NeededRole; scope: Scope; input: S; stream: boolean; session: boolean; signed: boolean };
  /** Of types alone: what it answers. */
  answer?: O;
};

/** An endpoint whose account is only there where its role is not `public`. */
export function endpoint<S extends z.ZodType, O>(declared: Declaration<S, O>): Endpoint<S, O> {
  const handle: APIRoute = async (context) => {
    const { request, locals, params } = context;
    const { account, token } = locals;
    if (declared.role !== 'public') {
      if (!account || !token)
        return request.headers.has('authorization')
          ? problem(401, 'token', 'This token does not work here, or not any more.')
          : problem(401, 'not-signed-in', 'Sign in first.');
      if (declared.session && locals.machine)
        return problem(403, 'session', 'This is about how one signs in: a token cannot do it.');
      if (account.lacksSecond && !declared.unproven)
        return problem(403, 'second-factor', 'Your role signs in with a second factor. Set one up first.');
      if (!mayDo(account.role, declared.role))
        return problem(403, 'role', `This needs the role ${declared.role}; yours is ${account.role}.`);
    }
    const whole = getApp();
    if (whole.isReading && !declared.early && !declared.unproven && declared.role !== 'public')
      return problem(
        503,
        'reading',
        'The last survey is still being read. Ask again in a while.',
        {},
        { 'retry-after': '2' },
      );
    const reading = request.method === 'GET';
    // a token is sent by whoever holds it, a cookie by any page that can make a browser do so
    if (!reading && !locals.machine && !declared.signed && !sameOrigin(request))
      return problem(403, 'origin', 'A change must come from Gate Lantern’s own pages.');
    let raw: Record<string, unknown>;
    if (reading || declared.stream) raw = Object.fromEntries(new URL(request.url).searchParams);
    else {
      if (!request.headers.get('content-type')?.startsWith('application/json'))
        return problem(415, 'content-type', 'The body must be application/json.');
      const text = await bodyText(request);
      if (text === undefined)
        return problem(413, 'too-large', `The body is longer than ${LONGEST_BODY} bytes.`);
      try {
        raw = JSON.parse(text || '{}') as Record<string, unknown>;
      } catch {
        return problem(400, 'not-json', 'The body is not JSON.');
      }
    }
    const parsed = declared.input.safeParse(Object.keys(params).length ? { ...raw, ...params } : raw);
    if (!parsed.success)
      return problem(
        422,
        'input',
        parsed.error.issues.map((i) => `${i.path.join('.') || 'input'}: ${i.message}`).join('; '),
        { errors: parsed.error.issues.map((i) => ({ pointer: i.path.join('/'), detail: i.message })) },
      );
    if (holdsNul(parsed.data))
      return problem(422, 'input', 'A text in the input holds U+0000, which cannot be kept.');
    try {
      const result = await declared.run({
        // what is open to everybody asks nothing of who is signed in
        app: declared.role === 'public' ? whole : whole.for(account),
        input: parsed.data,
        account: account!,
        token: token!,
        context,
      });
      return result instanceof Response ? result : Response.json(result ?? null);
    } catch (e) {
      // services are bundled apart, so their errors are known by name
      const known = e as {
        name?: string;
        code?: string;
        status?: number;
        message: string;
        retryAfter?: number;
      };
      if (known.name === 'AppError')
        return problem(
          known.status!,
          known.code!,
          known.message,
          {},
          known.retryAfter ? { 'retry-after': String(known.retryAfter) } : {},
        );
      whole.log.error({ err: e, method: request.method, route: context.routePattern }, 'an endpoint failed');
      return problem(
        500,
        'failed',
        'Something went wrong here; it has been written to the server’s log. Nothing was half done. Try again.',
      );
    }
  };
  return Object.assign(handle, {
    declared: {
      role: declared.role,
      scope: declared.scope,
      input: declared.input,
      stream: declared.stream ?? false,
      session: declared.session ?? false,
      signed: declared.signed ?? false,
    },
  });
}

/** Origin must be our own, scheme and all; browsers send it with every write. */
function sameOrigin(request: Request): boolean {
  const origin = request.headers.get('origin');
  if (origin === null || !URL.canParse(origin)) return false;
  const { host, protocol } = new URL(origin);
  const scheme = request.headers.get(SCHEME_HEADER) ?? 'http';
  return host === request.headers.get('host') && protocol === `${scheme}:`;
}

/** Whether a text somewhere in an input holds U+0000, which no name needs and the store cannot hold. */
function holdsNul(value: unknown): boolean {
  if (typeof value === 'string') return value.includes('\0');
  return value instanceof Object && Object.entries(value).some(([k, v]) => holdsNul(k) || holdsNul(v));
}

/** The body, or undefined where it is too long; what is too long is read to its end and let go. */
export async function bodyText(request: Request): Promise<string | undefined> {
  const reader = request.body?.getReader();
  if (!reader) return '';
  const decoder = new TextDecoder();
  let text = '';
  let read = 0;
  for (;;) {
    const { done, value } = await reader.read();
    if (done) return read > LONGEST_BODY ? undefined : text + decoder.decode();
    read += value.length;
    if (read <= LONGEST_BODY) text += decoder.decode(value, { stream: true });
    else if (read > 32 * LONGEST_BODY) {
      await reader.cancel();
      return undefined;
    }
  }
}
