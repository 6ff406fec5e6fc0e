import type { APIContext, MiddlewareHandler, MiddlewareNext } from 'astro';
import type { Account } from './dto/accounts.ts';
import { problem } from './pages/api/_problem.ts';
import { SESSION_COOKIE } from './pages/api/_endpoint.ts';
import { getApp } from './services/instance.ts';
import { SCHEME_HEADER, SOURCE_HEADER } from './dto/headers.ts';
import { knownHost, securityHeaders } from './services/web.ts';

/** Pages that are shown without signing in. */
const OPEN_PAGES = new Set(['/sign-in', '/first-steward', '/welcome', '/answer', '/app-request', '/desk']);
/** Where whoever must have a second factor sets it up. */
const SECOND_PAGE = '/second-factor';

export const onRequest: MiddlewareHandler = async (context, next) => {
  const began = performance.now();
  const response = await answer(context, next);
  const { log, metrics } = getApp();
  const { method } = context.request;
  // a path may hold anything: the route that answered says enough
  const route = context.routePattern || 'none';
  const ms = performance.now() - began;
  metrics.request(method, route, response.status, ms / 1000);
  log.info(
    {
      method,
      route,
      status: response.status,
      ms: Math.round(ms),
      account: context.locals.account?.id,
      source: context.request.headers.get(SOURCE_HEADER),
    },
    'answered',
  );
  return response;
};

const answer = async (context: APIContext, next: MiddlewareNext): Promise<Response> => {
  const { request, url, locals, cookies } = context;
  if (!knownHost(request.headers.get('host'), process.env))
    return problem(
      421,
      'unknown-host',
      'This address is not one that Gate Lantern answers to. Add it to GATE_LANTERN_HOSTS if it should be.',
    );
  // machines come with a token of their own, which is looked at there
  const machines = /^\/(?:scim|access|\.well-known)\//.test(url.pathname);
  const api = machines || url.pathname.startsWith('/api/');
  const authorization = request.headers.get('authorization');
  let account: Account | undefined;
  if (machines) {
    // nobody is signed in
  } else if (api && authorization !== null) {
    // whoever comes with a token is nobody else, whatever cookies come along
    const machine = await getApp().tokens.account(authorization.replace(/^Bearer /i, ''));
    if (machine) {
      account = machine.account;
      Object.assign(locals, { account, token: machine.name, machine: true });
    }
  } else {
    const token = cookies.get(SESSION_COOKIE)?.value;
    account = await getApp().accounts.session(token);
    if (account && token) Object.assign(locals, { account, token });
  }
  let response: Response;
  if (!api && !account && !OPEN_PAGES.has(url.pathname)) {
    const empty = await getApp().accounts.empty();
    response = context.redirect(
      empty ? '/first-steward' : `/sign-in?to=${encodeURIComponent(url.pathname + url.search)}`,
    );
  } else if (!api && account?.lacksSecond && url.pathname !== SECOND_PAGE)
    response = context.redirect(SECOND_PAGE);
  else if (!api && account && getApp().isReading && url.pathname !== SECOND_PAGE)
    response = await next('/reading');
  else response = await next();

  const headers = response.headers;
  const scheme = request.headers.get(SCHEME_HEADER) ?? 'http';
  for (const [name, value] of Object.entries(securityHeaders(scheme))) headers.set(name, value);
  headers.set('cache-control', 'no-store');
  // Astro gives built pages their policy; what is no page needs nothing at all
  const own =
    headers.get('content-security-policy') ??
    (headers.get('content-type')?.startsWith('text/html') ? '' : "default-src 'none'");
  headers.set(
    'content-security-policy',
    [own.replace(/;\s*$/, ''), "frame-ancestors 'none'"].filter(Boolean).join('; '),
  );
  return response;
};
