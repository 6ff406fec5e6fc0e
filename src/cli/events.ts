/** What happened, from files: checked, and gathered into signals (docs/events.md). */
import { createReadStream } from 'node:fs';
import { readEvent, type Happened } from '../core/guard/events.ts';
import type { Window } from '../core/guard/patterns.ts';
import { signals, windowSchema } from '../core/guard/windows.ts';
import { linesOf } from '../formats/lines.ts';
import { CliError, fileAt, jsonAt, print } from './messages.ts';

/** What is wrong is told line by line, so much of it at most. */
const TOLD = 20;
/** A file with more megabytes is no window. */
const LONGEST_WINDOW_MB = 1;

/** Reads the events of a file; throws with all that is wrong. `any`: whatever their types are called. */
async function eventsOf(file: string, any: boolean): Promise<Happened[]> {
  fileAt(file);
  const events: Happened[] = [];
  const wrong: string[] = [];
  let more = 0;
  const say = (number: number, why: string): void => {
    if (wrong.length < TOLD) wrong.push(`  line ${number}: ${why}`);
    else more++;
  };
  for await (const lines of linesOf(createReadStream(file)))
    for (const { number, text, wrong: why } of lines) {
      if (text === undefined) {
        say(number, why ?? 'it cannot be read');
        continue;
      }
      let value: unknown;
      try {
        value = JSON.parse(text);
      } catch {
        say(number, 'it is not JSON');
        continue;
      }
      const read = readEvent(value, any);
      if ('event' in read) events.push(read.event);
      else say(number, read.wrong.join('; '));
    }
  if (wrong.length)
    throw new CliError(`${file}:\n${wrong.join('\n')}${more ? `\n  and ${more} lines more` : ''}`);
  return events;
}

/** Prints `{type, events}` for each type, by name; everything that is wrong goes to stderr, and exits with 2. */
export async function checkEvents(file: string): Promise<void> {
  const counts = new Map<string, number>();
  for (const { type } of await eventsOf(file, false)) counts.set(type, (counts.get(type) ?? 0) + 1);
  for (const [type, events] of [...counts].sort()) await print({ type, events });
}

function windowOf(file: string): Window {
  const read = windowSchema.safeParse(jsonAt(file, LONGEST_WINDOW_MB, 'window'));
  if (!read.success)
    throw new CliError(
      `${file}:\n${read.error.issues.map((i) => `  ${i.path.join('.') || 'it'}: ${i.message}`).join('\n')}`,
    );
  return read.data;
}

/** Prints `{key, from, to, distinct, events}` of each signal, by its first moment, then key. */
export async function findSignals(events: string, window: string): Promise<void> {
  const asked = windowOf(window);
  for (const { key, from, to, distinct, events: of } of signals(await eventsOf(events, true), asked))
    await print({
      key,
      from: new Date(from).toISOString(),
      to: new Date(to).toISOString(),
      distinct,
      events: of.map((e) => e.id),
    });
}
