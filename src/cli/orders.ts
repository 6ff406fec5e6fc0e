/** Standing orders as files: checked (docs/orders.md). */
import { readOrder } from '../core/orders/read.ts';
import { sentence, stepWords, whenWords } from '../core/orders/words.ts';
import { withBefore } from '../core/orders/fields.ts';
import { wrongTemplate } from '../services/messages/templates.ts';
import { eachOf, print } from './messages.ts';

/** A file with more megabytes is no order. */
const LONGEST_MB = 5;

/** Prints `{name, when, if, steps}` of each order, in sentences; everything that is wrong goes to stderr, and exits with 2. */
export async function checkOrders(file: string): Promise<void> {
  const orders = eachOf(file, LONGEST_MB, 'order', (value) => {
    const { order: of, wrong } = readOrder(value, wrongTemplate);
    return { of, wrong };
  });
  for (const order of orders)
    await print({
      name: order.name,
      when: sentence(whenWords(order.when)),
      if: order.if ?? null,
      steps: [...withBefore(order.steps)].map(({ step }) => sentence(stepWords(step))),
    });
}
