import { endpoint } from '../_endpoint.ts';
import { nothing } from '../../../dto/inputs.ts';

/** The whole ledger as JSON Lines, oldest first; `gl ledger verify` checks it. Taking it out is on it too. */
export const GET = endpoint({
  role: 'auditor',
  scope: 'organisation',
  input: nothing,
  async run({ app, account }) {
    await app.ledger.add({ who: account.address, what: 'ledger.exported', subject: 'ledger' });
    const encoder = new TextEncoder();
    const rows = app.ledger.all();
    const stream = new ReadableStream<Uint8Array>({
      async pull(controller) {
        const next = await rows.next();
        if (next.done) controller.close();
        else controller.enqueue(encoder.encode(next.value.map((r) => JSON.stringify(r) + '\n').join('')));
      },
    });
    return new Response(stream, {
      headers: {
        'content-type': 'application/jsonl',
        'content-disposition': 'attachment; filename="gate-lantern-ledger.jsonl"',
      },
    });
  },
});
