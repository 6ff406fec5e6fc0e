/** Whether a domain is registered, asked of a registration data server (RDAP: RFC 9082 §3.1.3, RFC 9083 §5.3). */
import { z } from 'zod';
import { HttpClient, type HttpOptions } from './http.ts';
import { ConnectorError } from './port.ts';

const NOT_THERE = 404;
/** What a domain is said to be that is about to be let go (RFC 8056 §2). */
const LETTING_GO = ['redemption period', 'pending delete'];

const domainObject = z.object({
  objectClassName: z.literal('domain'),
  status: z.array(z.string()).default([]),
  events: z.array(z.object({ eventAction: z.string(), eventDate: z.string().optional() })).default([]),
});

/** `ends`: when its registration ends or has ended, in milliseconds since 1970; null where the server does not say. */
export type Registration = { registered: true; ends: number | null } | { registered: false };

/** Reads what a server says of a domain; `now`: in milliseconds. Throws a ConnectorError where it is no such answer. */
export function readRegistration(said: unknown, now: number): Registration {
  const { success, data } = domainObject.safeParse(said);
  if (!success)
    throw new ConnectorError(
      'not-understood',
      'The answer is not what RDAP says of a domain (RFC 9083 §5.3).',
    );
  const dates = data.events.flatMap((e) => {
    const at = e.eventAction === 'expiration' ? Date.parse(e.eventDate ?? '') : NaN;
    return Number.isNaN(at) ? [] : at;
  });
  const ends = dates.length ? Math.max(...dates) : null;
  const letGo = data.status.some((s) => LETTING_GO.includes(s.toLowerCase()));
  return { registered: true, ends: letGo ? Math.min(ends ?? now, now) : ends };
}

/** Asks a server about domains. `url`: its base address. */
export function registry(options: Omit<HttpOptions, 'token'>) {
  const http = new HttpClient({ tries: 3, ...options, token: '' });
  return async (domain: string, now: number): Promise<Registration> => {
    const answer = await http.request('GET', `/domain/${encodeURIComponent(domain)}`, {
      accept: [NOT_THERE],
    });
    if (answer.status === NOT_THERE) {
      await answer.body?.cancel();
      return { registered: false };
    }
    return readRegistration(await answer.json().catch(() => undefined), now);
  };
}
