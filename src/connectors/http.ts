/** Requests to a workspace over a network that fails: time limits, retries, waiting when told to. */
import { checkHost } from './address.ts';
import { ConnectorError } from './port.ts';
import { parseJson } from '../formats/json.ts';

/** Characters of an answer that is read as JSON; pages are of some hundred rows. */
const LONGEST_ANSWER = 64_000_000;

async function jsonOf(response: Response): Promise<unknown> {
  const decoder = new TextDecoder();
  let text = '';
  for await (const piece of response.body ?? []) {
    text += decoder.decode(piece, { stream: true });
    if (text.length > LONGEST_ANSWER)
      throw new ConnectorError('not-understood', 'The workspace’s answer is longer than 64 MB.');
  }
  return parseJson(text + decoder.decode());
}

export interface HttpOptions {
  url: string;
  /** Empty where none is wanted. */
  token: string;
  signal?: AbortSignal;
  /** It may be on this machine and its own network. */
  localToo?: boolean;
  /** Milliseconds without an answer after which a try is given up. Default 15,000. */
  timeLimit?: number;
  /** Tries for one request. Default 6. */
  tries?: number;
  /** First wait between tries, milliseconds; doubled each time. Default 250. */
  firstWait?: number;
  /** Longest wait, milliseconds, also for Retry-After. Default 60,000. */
  longestWait?: number;
  sleep?: (ms: number, signal?: AbortSignal) => Promise<void>;
  random?: () => number;
}

export interface Answer {
  status: number;
  /** The entity tag (RFC 9110 §8.8.3), where there is one. */
  etag: string | undefined;
  body: ReadableStream<Uint8Array> | null;
  json(): Promise<unknown>;
}

const sleepFor = (ms: number, signal?: AbortSignal): Promise<void> =>
  new Promise((resolve, reject) => {
    const stop = () => {
      clearTimeout(timer);
      reject(new ConnectorError('cancelled', 'The work was cancelled.'));
    };
    const timer = setTimeout(() => {
      signal?.removeEventListener('abort', stop);
      resolve();
    }, ms);
    signal?.addEventListener('abort', stop, { once: true });
  });

/** Retry-After (RFC 9110 §10.2.3) in milliseconds: seconds, or a date. */
export function retryAfter(value: string | null, now: number): number | undefined {
  if (value === null) return undefined;
  if (/^\d+$/.test(value)) return Number(value) * 1000;
  const at = Date.parse(value);
  return Number.isNaN(at) ? undefined : Math.max(0, at - now);
}

/** RFC 9110 §15.5.11. */
const GONE = 410;

export class HttpClient {
  constructor(private readonly options: HttpOptions) {}

  /**
   * One request, tried again where that may help: no answer, 408, 425, 429 and 5xx. Writes with a `key`
   * carry it as Idempotency-Key and are safe to repeat; with `version` they hold only while the object is
   * of that version (If-Match, RFC 9110 §13.1.1). Statuses below 500 in `accept` are returned.
   */
  async request(
    method: string,
    path: string,
    more: {
      key?: string;
      version?: string | undefined;
      json?: { type: string; body: unknown };
      accept?: number[];
      timeLimit?: number;
    } = {},
  ): Promise<Answer> {
    const o = this.options;
    const tries = o.tries ?? 6;
    let last = '';
    let unanswered = false;
    for (let attempt = 0; attempt < tries; attempt++) {
      if (o.signal?.aborted) throw new ConnectorError('cancelled', 'The work was cancelled.', unanswered);
      let wait: number | undefined;
      // the time limit covers the whole answer, its body too
      const limit = AbortSignal.timeout(more.timeLimit ?? o.timeLimit ?? 15_000);
      try {
        if (!o.localToo) await checkHost(o.url);
        const response = await fetch(o.url + path, {
          method,
          headers: {
            ...(o.token && { authorization: `Bearer ${o.token}` }),
            ...(more.key && { 'idempotency-key': more.key }),
            ...(more.version && { 'if-match': more.version }),
            ...(more.json && { 'content-type': more.json.type }),
          },
          ...(more.json && { body: JSON.stringify(more.json.body) }),
          signal: o.signal ? AbortSignal.any([o.signal, limit]) : limit,
          redirect: 'error',
        });
        const { status } = response;
        if (status < 300 || more.accept?.includes(status)) {
          if (more.key) await response.arrayBuffer();
          return {
            status,
            etag: response.headers.get('etag') ?? undefined,
            body: response.body,
            json: () => jsonOf(response),
          };
        }
        await response.body?.cancel();
        if (status === 401 || status === 403)
          throw new ConnectorError(
            'not-allowed',
            `The workspace does not accept our token (${status}). Renew it under Survey › Sources.`,
            unanswered,
          );
        if (status < 500 && status !== 429 && status !== 408 && status !== 425)
          throw new ConnectorError(
            'refused',
            status === GONE
              ? `The workspace has it no more: it cannot be changed or restored (${method} ${path}, ${status}).`
              : `The workspace refused ${method} ${path} (${status}).`,
            unanswered,
          );
        last = `it answered ${status}`;
        wait = retryAfter(response.headers.get('retry-after'), Date.now());
      } catch (e) {
        if (e instanceof ConnectorError) throw e;
        if (o.signal?.aborted) throw new ConnectorError('cancelled', 'The work was cancelled.', true);
        unanswered = true;
        last = limit.aborted ? 'it did not answer in time' : 'the connection broke';
      }
      if (attempt + 1 < tries) {
        // full jitter, so that many clients do not come back at once; never sooner than told
        const backoff = (o.random ?? Math.random)() * (o.firstWait ?? 250) * 2 ** attempt;
        await (o.sleep ?? sleepFor)(
          Math.min(o.longestWait ?? 60_000, Math.max(wait ?? 0, backoff)),
          o.signal,
        );
      }
    }
    throw new ConnectorError(
      'gave-up',
      `Gave up on ${method} ${path} after ${tries} tries: ${last}.`,
      unanswered,
    );
  }

  async getJson(path: string): Promise<unknown> {
    try {
      return await (await this.request('GET', path)).json();
    } catch (e) {
      if (e instanceof ConnectorError) throw e;
      // the answer broke off, or is not JSON: once more, then it is said
      try {
        return await (await this.request('GET', path)).json();
      } catch (again) {
        if (again instanceof ConnectorError) throw again;
        throw new ConnectorError('not-understood', `The answer to GET ${path} is not whole JSON.`);
      }
    }
  }
}
