/** What the command line says beside its answer: on stderr, for whoever looks on. */

import { readFileSync, statSync, type Stats } from 'node:fs';
import type { Wrong } from '../core/guard/policy.ts';

/** The call or a file is wrong; the message says how. */
export class CliError extends Error {}

/** A file that is there to be read; throws where it is none. */
export function fileAt(path: string): Stats {
  const stat = statSync(path, { throwIfNoEntry: false });
  if (!stat?.isFile()) throw new CliError(`${path} is not a file that can be read.`);
  return stat;
}

/** What a JSON file holds; `what` it is not where it has more than so many megabytes. Throws where it cannot be read. */
export function jsonAt(path: string, megabytes: number, what: string): unknown {
  if (fileAt(path).size > megabytes * 1024 * 1024)
    throw new CliError(`${path} is larger than ${megabytes} MB, and no ${what}.`);
  let text: string;
  try {
    text = new TextDecoder('utf-8', { fatal: true }).decode(readFileSync(path));
  } catch {
    throw new CliError(`${path} is not UTF-8.`);
  }
  try {
    return JSON.parse(text);
  } catch (e) {
    throw new CliError(`${path} is not JSON: ${(e as Error).message}`);
  }
}

/** Said of every command. */
export const settings = {
  /** Nothing on stderr but errors. */
  quiet: false,
  /** Wrong data is an error. */
  strict: false,
  /** All that is wrong with the data is listed, and not summed up. */
  warnings: false,
};

/** Writes one line of JSON, waiting where the reader is slower. */
export async function print(value: unknown): Promise<void> {
  clear();
  if (!process.stdout.write(`${JSON.stringify(value)}\n`))
    await new Promise((resolve) => process.stdout.once('drain', resolve));
}

/** Writes a message on stderr. Names in it may hold anything: what would steer a terminal is left out. */
export function complain(message: string): void {
  clear();
  process.stderr.write(`gl: ${message.replace(/[\x00-\x09\x0b-\x1f\x7f-\x9f]/g, '\uFFFD')}\n`);
}

/** A message on stderr, unless nothing but errors is wanted. */
export function say(message: string): void {
  if (!settings.quiet) complain(message);
}

const BEFORE_SHOWN_MS = 2000;
const BETWEEN_MS = 200;
const began = performance.now();
let shown = false;
let last = 0;
let at: { doing: string; since: number; from: number } | undefined;

/** How far it is, in words: `Reading: 45 %, 120,000 rows, 12 s left`. */
export function progressWords(doing: string, share: number, elapsedMs: number, rows?: number): string {
  const left = share > 0.02 ? Math.ceil((elapsedMs * (1 / share - 1)) / 1000) : undefined;
  return [
    `${doing}: ${Math.floor(share * 100)} %`,
    ...(rows ? [`${rows.toLocaleString('en')} rows`] : []),
    ...(left === undefined ? [] : [left < 100 ? `${left} s left` : `${Math.round(left / 60)} min left`]),
  ].join(', ');
}

/** Shows how far something is, `done` of `of`, on one line of a terminal; only once the command has taken two seconds. */
export function progress(doing: string, done: number, of: number, rows?: number): void {
  const now = performance.now();
  if (at?.doing !== doing) at = { doing, since: now, from: done };
  if (settings.quiet || !process.stderr.isTTY || now - began < BEFORE_SHOWN_MS || now - last < BETWEEN_MS)
    return;
  last = now;
  shown = true;
  const share = of > at.from ? Math.min(1, (done - at.from) / (of - at.from)) : 1;
  process.stderr.write(`\r\u001b[K${progressWords(doing, share, now - at.since, rows)}`);
}

/** Takes the line of progress away. */
export function clear(): void {
  if (shown) process.stderr.write('\r\u001b[K');
  shown = false;
}

/** Each of what a file of JSON has, one or a list, as it is read; throws with all that is wrong. `mb`: larger it is none. */
export function eachOf<T>(
  file: string,
  mb: number,
  what: string,
  read: (value: unknown) => { of?: T | undefined; wrong: readonly Wrong[] },
): T[] {
  const value = jsonAt(file, mb, what);
  const several = Array.isArray(value);
  const all = (several ? (value as unknown[]) : [value]).map(read);
  const wrong = all.flatMap((r, n) =>
    r.wrong.map(
      ({ at, why }) => `  ${several ? `[${n}]${at && '.'}` : ''}${at || (several ? '' : 'it')}: ${why}`,
    ),
  );
  if (wrong.length) throw new CliError(`${file}:\n${wrong.join('\n')}`);
  return all.map((r) => r.of!);
}
