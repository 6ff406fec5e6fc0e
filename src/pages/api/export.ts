import { z } from 'zod';
import { SEVERITIES } from '../../core/exposure/exposure.ts';
import type { Filtered } from '../../core/filter/fields.ts';
import { TIERS } from '../../core/model.ts';
import { TABLES, type TableName } from '../../dto/exposure.ts';
import { endpoint } from './_endpoint.ts';
import { cell, cross, node, number, text, where } from './_inputs.ts';

const FORMATS = {
  csv: ['csv', 'text/csv; charset=utf-8'],
  xlsx: ['xlsx', 'application/vnd.openxmlformats-officedocument.spreadsheetml.sheet'],
  jsonl: ['jsonl', 'application/jsonl'],
  ocsf: ['ocsf.json', 'application/json'],
} as const;

/** By what a table's conditions are read; a table that knows none takes none. */
const FILTERED: Partial<Record<TableName, Filtered>> = {
  findings: 'findings',
  causes: 'causes',
  contents: 'content-files',
  'content-files': 'content-files',
  unread: 'unread',
  outside: 'outside',
  holdings: 'items',
  people: 'people',
  changes: 'changes',
  cross: 'items',
  'cross-files': 'items',
};

/** A table to take away, as it is held to by the view. */
export const GET = endpoint({
  role: 'auditor',
  scope: 'organisation',
  input: cross
    .partial()
    .extend({
      table: z.enum(TABLES),
      format: z.enum(['csv', 'xlsx', 'jsonl', 'ocsf']),
      text: text(200).optional(),
      where: text(2000).optional(),
      state: z.enum(['open', 'accepted', 'fixed', 'all']).optional(),
      severity: z.enum(SEVERITIES).optional(),
      pack: text(64).optional(),
      type: text(64).optional(),
      tier: z.enum(TIERS).optional(),
      certainty: number.max(100).optional(),
      show: text(20).optional(),
      parent: node.optional(),
      kind: text(20).optional(),
      weight: number.max(4).optional(),
      domain: text(300).optional(),
      owner: text(512).optional(),
      only: z.enum(['exposed', 'breaks', 'no-owner', 'dormant', 'links']).optional(),
      from: number.optional(),
      to: number.optional(),
      at: cell.optional(),
    })
    .superRefine((q, ctx) => {
      if (q.format === 'ocsf' && q.table !== 'findings')
        ctx.addIssue({ code: 'custom', message: 'Only findings are OCSF events.', path: ['format'] });
      if (!q.where) return;
      const fields = FILTERED[q.table];
      const read = fields && where(fields).safeParse(q.where);
      if (!read?.success)
        ctx.addIssue({
          code: 'custom',
          path: ['where'],
          message: read ? read.error.issues[0]!.message : 'This table takes no conditions.',
        });
    }),
  run({ app, input: { table, format, ...q }, account }) {
    const pieces = app.tables.export(table, format, q, account.address);
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
