/** A registration data server for domains (RDAP, RFC 9083 §5.3): all it is asked about are registered, but for some that have ended. */
import type { IncomingMessage, ServerResponse } from 'node:http';
import { json, Refusal } from '../http.ts';

const DAY = 86_400_000;
/** Domains whose registration ended so many days ago. */
const ENDED: Record<string, number> = { 'tidewriter.example': 75 };

export function registryOf(req: IncomingMessage, res: ServerResponse, url: URL): void {
  const domain = /^\/registry\/domain\/([^/]+)$/.exec(url.pathname)?.[1];
  if (req.method !== 'GET' || !domain) throw new Refusal(404, 'There is nothing here.');
  const name = decodeURIComponent(domain).toLowerCase();
  const ended = ENDED[name];
  const ends = Date.now() + (ended === undefined ? 400 : -ended) * DAY;
  json(res, 200, {
    objectClassName: 'domain',
    ldhName: name,
    status: ended === undefined ? ['active'] : ['auto renew period'],
    events: [
      { eventAction: 'registration', eventDate: new Date(ends - 900 * DAY).toISOString() },
      { eventAction: 'expiration', eventDate: new Date(ends).toISOString() },
    ],
  });
}
