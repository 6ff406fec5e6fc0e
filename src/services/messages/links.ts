/**
 * Links in messages. What is kept of a message has none that opens anything: where people reach this installation, and what
 * lets somebody answer, are put in when it goes out.
 */
import { createHmac, timingSafeEqual } from 'node:crypto';
import type { Secrets } from '../secrets.ts';

/** Stands for where people reach this installation. No value can hold it. */
export const SITE = 'site://here';
type Key = Pick<Secrets, 'keyFor'>;

const tokenOf = (secrets: Key, question: number, n: number): Buffer =>
  createHmac('sha256', secrets.keyFor('answers')).update(`${question}.${n}`).digest();

/** Stands for the page on which the n-th of those who are asked a question answers. */
export const answerLink = (question: number, n: number): string => `${SITE}/answer#${question}.${n}`;

/** A text as it goes out: every link whole, and those to questions signed. */
export const withLinks = (text: string, site: string, secrets: Key): string =>
  text
    .replace(
      /site:\/\/here\/answer#(\d+)\.(\d+)/g,
      (link, q: string, n: string) =>
        `${link}.${tokenOf(secrets, Number(q), Number(n)).toString('base64url')}`,
    )
    .replaceAll(SITE, site);

/** The question and the person that a link stands for; undefined where it is none of ours. */
export function openLink(secrets: Key, link: string): { question: number; n: number } | undefined {
  const found = /^(\d{1,9})\.(\d{1,6})\.([A-Za-z0-9_-]{43})$/.exec(link);
  if (!found) return undefined;
  const [question, n] = [Number(found[1]), Number(found[2])];
  const given = Buffer.from(found[3]!, 'base64url');
  const wanted = tokenOf(secrets, question, n);
  return given.length === wanted.length && timingSafeEqual(given, wanted) ? { question, n } : undefined;
}
