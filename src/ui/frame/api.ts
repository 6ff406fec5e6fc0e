/** Asking the API, and hearing from it. */
import { QueryClient, useQueryClient } from '@tanstack/react-query';
import { useEffect, useState } from 'react';
import type { SurveyStep } from '../../dto/surveys.ts';

/** What the API said went wrong; the message says what to do. */
export class ApiError extends Error {
  constructor(
    readonly status: number,
    readonly code: string,
    message: string,
  ) {
    super(message);
  }
}

export async function api<T>(
  method: 'GET' | 'POST' | 'PUT' | 'DELETE',
  path: string,
  body?: unknown,
): Promise<T> {
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
  const answer = (await response.json().catch(() => null)) as T & { title?: string; detail?: string };
  if (response.ok) return answer;
  if (response.status === 401 && !path.startsWith('/api/session'))
    location.assign(`/sign-in?to=${encodeURIComponent(location.pathname + location.search)}`);
  throw new ApiError(
    response.status,
    answer?.title ?? 'failed',
    answer?.detail ?? `It answered ${response.status}.`,
  );
}

/** A path with the parameters that have a value. */
export function withQuery(path: string, params: Record<string, string | number | undefined>): string {
  const q = new URLSearchParams();
  for (const [k, v] of Object.entries(params)) if (v !== undefined && v !== '') q.set(k, String(v));
  return q.size ? `${path}?${q}` : path;
}

export const client = new QueryClient({
  defaultOptions: {
    queries: {
      retry: (count, e) => !(e instanceof ApiError && e.status < 500 && e.status > 0) && count < 2,
      staleTime: 2_000,
      refetchOnWindowFocus: true,
    },
  },
});

export interface LiveSurvey {
  survey: number;
  state: string;
  steps: SurveyStep[];
}

/** Keeps queries fresh as things happen; gives the steps of a running survey. */
export function useLive(): LiveSurvey | undefined {
  const queries = useQueryClient();
  const [live, setLive] = useState<LiveSurvey>();
  useEffect(() => {
    const source = new EventSource('/api/events');
    source.addEventListener('survey', (e) => {
      const event = JSON.parse((e as MessageEvent<string>).data) as LiveSurvey;
      setLive(event.state === 'running' ? event : undefined);
      if (event.state !== 'running') void queries.invalidateQueries();
    });
    source.addEventListener('plan', () => {
      for (const key of ['plans', 'plan', 'course', 'ledger'])
        void queries.invalidateQueries({ queryKey: [key] });
    });
    // whatever is shown rests on the survey in force, one way or the other
    source.addEventListener('present', () => void queries.invalidateQueries());
    return () => source.close();
  }, [queries]);
  return live;
}
