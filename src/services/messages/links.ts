/**
 * Links in messages. What is kept of a message has none that opens anything: where people reach this installation, and what
 * lets somebody answer, are put in when it goes out.
 */
import { createHmac, timingSafeEqual } from 'node:crypto';
import type { Secrets } from '../secrets.ts';

/** Stands for where people reach this installation. No value can hold it. */
export const SITE = 'site://here';
type Key = Pick<Secrets, 'keyFor'>;

/**
 * What a link opens: one question to the n-th who is asked, what a round asks its n-th person, or a request for an app as it was
 * passed on the n-th time.
 */
type Opens = 'answer' | 'desk' | 'app-request';
const KEY = { answer: 'answers', desk: 'desk', 'app-request': 'app-requests' } as const;
const tokenOf = (secrets: Key, opens: Opens, of: number, n: number): string =>
  createHmac('sha256', secrets.keyFor(KEY[opens])).update(`${of}.${n}`).digest('base64url');

/** Stands for the page on which the n-th of those who are asked a question answers. */
export const answerLink = (question: number, n: number): string => `${SITE}/answer#${question}.${n}`;

/** Stands for the owner desk with what a round asks its n-th person. */
export const deskLink = (round: number, n: number): string => `${SITE}/desk#${round}.${n}`;

/** Stands for the page on which whoever a request for an app was passed on to answers it. */
export const requestLink = (request: number, n: number): string => `${SITE}/app-request#${request}.${n}`;

/** A text as it goes out: every link whole, and those that let somebody answer signed. */
export const withLinks = (text: string, site: string, secrets: Key): string =>
  text
    .replace(
      /site:\/\/here\/(answer|desk|app-request)#(\d+)\.(\d+)/g,
      (link, opens: Opens, of: string, n: string) =>
        `${link}.${tokenOf(secrets, opens, Number(of), Number(n))}`,
    )
    .replaceAll(SITE, site);

/** The question or round, and the person, that a link stands for; undefined where it is none of ours, or opens something else. */
export function openLink(secrets: Key, opens: Opens, link: string): { of: number; n: number } | undefined {
  const found = /^(\d{1,9})\.(\d{1,6})\.([A-Za-z0-9_-]{43})$/.exec(link);
  if (!found) return undefined;
  const [of, n] = [Number(found[1]), Number(found[2])];
  // as text: its last character could be another for the same bytes
  const [given, wanted] = [Buffer.from(found[3]!), Buffer.from(tokenOf(secrets, opens, of, n))];
  return timingSafeEqual(given, wanted) ? { of, n } : undefined;
}
