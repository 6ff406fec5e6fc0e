/** Asking the API, and hearing from it. */
import { QueryClient, useQueryClient } from '@tanstack/react-query';
import { useEffect, useState } from 'react';
import type { z } from 'zod';
import type { JobNews } from '../../dto/jobs.ts';
import type { Endpoint } from '../../pages/api/_endpoint.ts';
import type { Endpoints } from './endpoints.ts';

/** What the API said went wrong; the message says what to do. */
export class ApiError extends Error {
  constructor(
    readonly status: number,
    readonly code: string,
    message: string,
    /** What is wrong with single fields, where it is about those. */
    readonly fields: readonly { pointer: string; detail: string }[] = [],
  ) {
    super(message);
  }
}

type Path = keyof Endpoints;
type Method = 'GET' | 'POST' | 'PUT' | 'DELETE';
/** Paths that have an endpoint of a method. */
type PathsWith<M extends Method> = {
  [P in Path]: M extends keyof Endpoints[P] ? P : never;
}[Path];
type EndpointOf<M extends Method, P extends Path> = M extends keyof Endpoints[P] ? Endpoints[P][M] : never;

/** What an endpoint answers, as it declares it. */
export type Answer<M extends Method, P extends Path> =
  EndpointOf<M, P> extends Endpoint<infer _, infer O> ? Exclude<O, Response> : never;
type Keys<T> = T extends unknown ? keyof T : never;
type Scalar = string | number | boolean | undefined;
/** A query: the keys that the endpoint's schema knows. Values go as text, and those that are absent do not go. */
export type QueryOf<P extends Path> =
  EndpointOf<'GET', P> extends Endpoint<infer S, infer _>
    ? { [K in Keys<z.input<S>>]?: Scalar } & (P extends `${string}[id]` ? { id: string | number } : unknown)
    : never;
type BodyOf<M extends Method, P extends Path> =
  EndpointOf<M, P> extends Endpoint<infer S, infer _> ? z.input<S> : never;

/** Asks, and gives what the endpoint of that path answers. Throws an ApiError. */
export const get = <P extends PathsWith<'GET'>>(path: P, query?: QueryOf<P>): Promise<Answer<'GET', P>> =>
  request('GET', fill(path, query)) as Promise<Answer<'GET', P>>;

/** A question as queries take it: its key is the path and what it is asked with. */
export const ask = <P extends PathsWith<'GET'>>(path: P, query?: QueryOf<P>) => ({
  queryKey: [path, query ?? {}] as const,
  queryFn: () => get(path, query),
});

/** Sends something that changes something. Throws an ApiError. */
export const send = <M extends Exclude<Method, 'GET'>, P extends PathsWith<M>>(
  method: M,
  path: P,
  ...[body]: Record<string, never> extends BodyOf<M, P> ? [body?: BodyOf<M, P>] : [body: BodyOf<M, P>]
): Promise<Answer<M, P>> =>
  request(
    method,
    path.replace('[id]', encodeURIComponent(String((body as { id?: unknown } | undefined)?.id))),
    body,
  ) as Promise<Answer<M, P>>;

/** Sends bytes, with what is said of them in the query. */
export const upload = <M extends 'POST' | 'PUT', P extends PathsWith<M>>(
  method: M,
  path: P,
  query: Record<string, Scalar>,
  bytes: Blob,
): Promise<Answer<M, P>> => request(method, fill(path, query), bytes) as Promise<Answer<M, P>>;

/** A path with its id put in, and the rest of the query behind it. */
function fill(path: string, query: Record<string, Scalar> = {}): string {
  const { id, ...rest } = query;
  return path.includes('[id]')
    ? withQuery(path.replace('[id]', encodeURIComponent(String(id))), rest)
    : withQuery(path, query);
}

async function request(method: Method, path: string, body?: unknown): Promise<unknown> {
  let response: Response;
  try {
    response = await fetch(path, {
      method,
      ...(method !== 'GET' && {
        headers: { 'content-type': body instanceof Blob ? 'application/octet-stream' : 'application/json' },
        body: body instanceof Blob ? body : JSON.stringify(body ?? {}),
      }),
    });
  } catch {
    throw new ApiError(
      0,
      'unreachable',
      'Gate Lantern does not answer. Check that it is running, then try again.',
    );
  }
  const answer = (await response.json().catch(() => null)) as {
    title?: string;
    detail?: string;
    errors?: { pointer: string; detail: string }[];
  } | null;
  if (response.ok) return answer;
  if (response.status === 401 && !path.startsWith('/api/session'))
    location.assign(`/sign-in?to=${encodeURIComponent(location.pathname + location.search)}`);
  throw new ApiError(
    response.status,
    answer?.title ?? 'failed',
    answer?.detail ?? `It answered ${response.status}.`,
    answer?.errors ?? [],
  );
}

/** A path with the parameters that have a value. */
export function withQuery(path: string, params: Record<string, Scalar>): string {
  const q = new URLSearchParams();
  for (const [k, v] of Object.entries(params)) if (v !== undefined && v !== '') q.set(k, String(v));
  return q.size ? `${path}?${q}` : path;
}

/** A value as the JSON bytes of a body that an endpoint reads itself, because it may be long. */
export const jsonBlob = (value: unknown): Blob => new Blob([JSON.stringify(value)]);

/** So often it is asked again while the application starts: ten minutes. */
const WAITS = 300;
const isStarting = (e: Error): boolean =>
  e instanceof ApiError && (e.code === 'reading' || e.code === 'unreachable');
/** Whether it may go well another time. */
const isFault = (e: Error): boolean => !(e instanceof ApiError && e.status < 500 && e.status > 0);

export const client = new QueryClient({
  defaultOptions: {
    queries: {
      // while the application starts again, or reads its last survey, what is asked waits for it
      retry: (count, e) => (isStarting(e) ? count < WAITS : isFault(e) && count < 2),
      retryDelay: (count, e) => (isStarting(e) ? 2000 : Math.min(1000 * 2 ** count, 8000)),
      staleTime: 2_000,
      refetchOnWindowFocus: true,
    },
  },
});

/** What runs now, by its kind. */
export type LiveJobs = Partial<Record<'survey' | 'plan', JobNews>>;

const OF_PLANS = [
  '/api/plans',
  '/api/plans/[id]',
  '/api/course',
  '/api/ledger',
  '/api/quarantine',
] as const satisfies readonly Path[];

/** Answers that depend on what policies hit, what happens, and what orders do. */
const OF_POLICIES = [
  '/api/course',
  '/api/policies',
  '/api/policies/[id]',
  '/api/policies/hits',
  '/api/signals',
  '/api/signals/[id]',
  '/api/signals/patterns',
  '/api/events/list',
  '/api/events/times',
  '/api/orders',
  '/api/orders/[id]',
  '/api/orders/runs',
  '/api/orders/runs/[id]',
  '/api/orders/suspended',
  '/api/orders/coaching',
  '/api/messages',
  '/api/messages/settings',
  '/api/messages/alerts',
  '/api/rounds',
  '/api/rounds/[id]',
  '/api/charters',
  '/api/spaces',
  '/api/spaces/one',
  '/api/apps',
  '/api/apps/one',
  '/api/apps/at',
  '/api/apps/of',
  '/api/apps/scopes',
  '/api/apps/approvals',
] as const satisfies readonly Path[];

/** Keeps queries fresh as things happen; gives what runs, with its steps. */
export function useLive(): LiveJobs {
  const queries = useQueryClient();
  const [live, setLive] = useState<LiveJobs>({});
  useEffect(() => {
    const source = new EventSource('/api/events');
    // the line broke, and is there again: what is shown may be of before
    let broken = false;
    source.addEventListener('error', () => (broken = true));
    source.addEventListener('open', () => {
      if (broken) void queries.invalidateQueries();
      broken = false;
    });
    source.addEventListener('job', (e) => {
      const job = JSON.parse((e as MessageEvent<string>).data) as JobNews;
      const ended = job.state !== 'running';
      setLive((was) => ({ ...was, [job.kind]: ended ? undefined : job }));
      if (ended) void queries.invalidateQueries();
    });
    source.addEventListener('plan', () => {
      // a plan says so at each change, so only what shows plans is asked again
      for (const path of OF_PLANS) void queries.invalidateQueries({ queryKey: [path] });
    });
    source.addEventListener('policies', () => {
      for (const path of OF_POLICIES) void queries.invalidateQueries({ queryKey: [path] });
    });
    // whatever is shown rests on the survey in force, one way or the other
    source.addEventListener('present', () => void queries.invalidateQueries());
    return () => source.close();
  }, [queries]);
  return live;
}

/** Where a thing is opened that has a key: a file, folder or space, an app, or else a person or group. */
export const openedAt = (key: string): string =>
  key.startsWith('app:')
    ? withQuery('/exposure/apps', { app: key.slice('app:'.length) })
    : withQuery(/^(?:item|space):/.test(key) ? '/survey/holdings' : '/survey/people', { sel: key });
