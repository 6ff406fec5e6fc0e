import { z } from 'zod';
import { SEVERITIES } from '../../core/exposure/exposure.ts';
import { TIERS } from '../../core/model.ts';
import { OUTSIDE_SHOWS, TABLES } from '../../services/dto.ts';
import { endpoint } from './_endpoint.ts';
import { asOf, number, text } from './_inputs.ts';

/** A table to take away, as it is held to by the view: CSV that no spreadsheet runs, or JSON Lines. */
export const GET = endpoint({
  role: 'auditor',
  input: z.object({
    table: z.enum(TABLES),
    format: z.enum(['csv', 'jsonl']),
    asOf,
    text: text(200).optional(),
    state: z.enum(['open', 'fixed', 'all']).optional(),
    severity: z.enum(SEVERITIES).optional(),
    space: text(400).optional(),
    ws: text(200).optional(),
    pack: text(64).optional(),
    type: text(64).optional(),
    tier: z.enum(TIERS).optional(),
    certainty: number.max(100).optional(),
    show: z.enum(OUTSIDE_SHOWS).optional(),
  }),
  run({ app, input: { table, format, ...q }, account }) {
    const pieces = app.tables.export(table, format, q, account.address);
    const encoder = new TextEncoder();
    const stream = new ReadableStream<Uint8Array>({
      async pull(controller) {
        const next = await pieces.next();
        if (next.done) controller.close();
        else controller.enqueue(encoder.encode(next.value));
      },
    });
    return Promise.resolve(
      new Response(stream, {
        headers: {
          'content-type': format === 'csv' ? 'text/csv; charset=utf-8' : 'application/jsonl',
          'content-disposition': `attachment; filename="gate-lantern-${table}.${format}"`,
        },
      }),
    );
  },
});
