/** The endpoint of a table: a page of its rows, held to what the table's own schema takes. */
import type { z } from 'zod';
import { page, TABLE_QUERIES, type QueryOfTable, type TableName } from '../../dto/tables.ts';
import type { PageOfTable } from '../../services/tables/tables.ts';
import { endpoint, type Endpoint } from './_endpoint.ts';
import { found, refused } from './_problem.ts';

type Shape<T extends TableName> = (typeof TABLE_QUERIES)[T] extends z.ZodObject<infer S> ? S : never;
type Schema<T extends TableName> = z.ZodObject<Shape<T> & typeof page>;

export function tableEndpoint<T extends TableName>(name: T): Endpoint<Schema<T>, PageOfTable<T> | Response> {
  const input = (TABLE_QUERIES[name] as z.ZodObject).extend(page);
  return endpoint({
    role: 'auditor',
    scope: 'organisation',
    input,
    run: ({ app, context, input: { limit, offset, ...query } }) =>
      refused(async () =>
        found(
          await app.tables.page(
            name,
            query as QueryOfTable<T>,
            { limit: limit as number, offset: offset as number },
            context.request.signal,
          ),
        ),
      ),
  }) as unknown as Endpoint<Schema<T>, PageOfTable<T> | Response>;
}
