import { z } from 'zod';
import { TABLE_QUERIES, TABLES } from '../../dto/tables.ts';
import { endpoint } from './_endpoint.ts';
import { problem } from './_problem.ts';

const FORMATS = {
  csv: ['csv', 'text/csv; charset=utf-8'],
  xlsx: ['xlsx', 'application/vnd.openxmlformats-officedocument.spreadsheetml.sheet'],
  jsonl: ['jsonl', 'application/jsonl'],
  ocsf: ['ocsf.json', 'application/json'],
} as const;

/**
 * A table as a file. What it is held to is read by the table's own schema, as for the view, and a key that the table
 * does not know is refused: nothing that was asked for is left out in silence.
 */
export const GET = endpoint({
  role: 'auditor',
  scope: 'organisation',
  input: z.looseObject({ table: z.enum(TABLES), format: z.enum(['csv', 'xlsx', 'jsonl', 'ocsf']) }),
  run({ app, input: { table, format, ...held }, account }) {
    if (format === 'ocsf' && table !== 'findings')
      return Promise.resolve(problem(422, 'input', 'Only findings can be exported as OCSF events.'));
    const query = (TABLE_QUERIES[table] as z.ZodObject).strict().safeParse(held);
    if (!query.success)
      return Promise.resolve(
        problem(
          422,
          'input',
          query.error.issues.map((i) => `${i.path.join('.') || 'input'}: ${i.message}`).join('; '),
        ),
      );
    const pieces = app.tables.export(table, format, query.data, account.address);
    const stream = new ReadableStream<Uint8Array>({
      async pull(controller) {
        const next = await pieces.next();
        if (next.done) controller.close();
        else controller.enqueue(next.value);
      },
      async cancel() {
        await pieces.return(undefined);
      },
    });
    const [ending, type] = FORMATS[format];
    return Promise.resolve(
      new Response(stream, {
        headers: {
          'content-type': type,
          'content-disposition': `attachment; filename="gate-lantern-${table}.${ending}"`,
        },
      }),
    );
  },
});
