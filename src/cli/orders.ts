/** Standing orders as files: checked (docs/orders.md). */
import { readOrder } from '../core/orders/read.ts';
import { sentence, stepWords, whenWords } from '../core/orders/words.ts';
import { withBefore } from '../core/orders/fields.ts';
import { wrongTemplate } from '../services/messages/templates.ts';
import { CliError, jsonAt, print } from './messages.ts';

/** A file with more megabytes is no order. */
const LONGEST_MB = 5;

/** Prints `{name, when, if, steps}` of each order, in sentences; everything that is wrong goes to stderr, and exits with 2. */
export async function checkOrders(file: string): Promise<void> {
  const value = jsonAt(file, LONGEST_MB, 'order');
  const several = Array.isArray(value);
  const read = (several ? (value as unknown[]) : [value]).map((v) => readOrder(v, wrongTemplate));
  const wrong = read.flatMap((r, n) =>
    r.wrong.map(({ at, why }) => `  ${several ? `[${n}].` : ''}${at || 'it'}: ${why}`),
  );
  if (wrong.length) throw new CliError(`${file}:\n${wrong.join('\n')}`);
  for (const { order } of read)
    await print({
      name: order!.name,
      when: sentence(whenWords(order!.when)),
      if: order!.if ?? null,
      steps: [...withBefore(order!.steps)].map(({ step }) => sentence(stepWords(step))),
    });
}
