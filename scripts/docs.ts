// npm run docs: what is written in docs/ from declarations in the code. tests/reference/docs.test.ts holds them to it.
import { writeFileSync } from 'node:fs';
import { fileURLToPath } from 'node:url';
import { z } from 'zod';
import { CONSTANTS, FIELDS, HOLDERS, type Field } from '../src/core/filter/fields.ts';
import { SUBJECTS, SUBJECT_NAMES } from '../src/core/guard/kinds.ts';
import { RESPONSES, RESPONSE_NAMES } from '../src/core/guard/responses.ts';
import { policySchema } from '../src/core/guard/schema.ts';
import { MESSAGE_FIELDS } from '../src/core/orders/fields.ts';
import { orderSchema } from '../src/core/orders/schema.ts';

const fieldsOf = (table: keyof typeof FIELDS): string =>
  Object.entries<Field>(FIELDS[table])
    .map(([name, { type, about, offers }]) => {
      const values = offers?.length ? `: ${offers.map((o) => `\`${o}\``).join(', ')}` : '';
      return `| \`${name}\` | ${type} | ${about}${values} |`;
    })
    .join('\n');

const fields = `# What conditions can ask

Written by \`npm run docs\` from \`src/core/filter/fields.ts\` and \`src/core/guard/responses.ts\`. The language itself:
[filters.md](filters.md). Words that stand for numbers: ${Object.entries(CONSTANTS)
  .map(([k, v]) => `\`${k}\` ${v}`)
  .join(', ')}.

${SUBJECT_NAMES.map((s) => {
  const { fields: table, words } = SUBJECTS[s];
  const holds = (HOLDERS as readonly string[]).includes(table)
    ? s === 'item'
      ? ' `holds(…)` asks what a file holds.'
      : ' `holds(…)` asks what the file holds that it is on.'
    : '';
  return `## Subject \`${s}\`: ${words[1]}\n\n${holds && `${holds.trim()}\n\n`}| field | type | what it is |\n|---|---|---|\n${fieldsOf(table)}\n`;
}).join('\n')}
## Responses

| \`do\` | what it does | at rest, of | before somebody does something, to | what can be said of it |
|---|---|---|---|---|
${RESPONSE_NAMES.map((name) => {
  const r: { about: string; atRest?: readonly string[]; atMoment?: readonly string[]; params: object } =
    RESPONSES[name];
  const list = (of: readonly string[] | undefined): string => of?.join(', ') ?? '';
  return `| \`${name}\` | ${r.about} | ${list(r.atRest)} | ${list(r.atMoment)} | ${Object.keys(r.params)
    .map((p) => `\`${p}\``)
    .join(', ')} |`;
}).join('\n')}
`;

const schemaOf = (schema: z.ZodType): string =>
  `${JSON.stringify(z.toJSONSchema(schema, { io: 'input' }), null, 2)}\n`;

/** What there is for messages of orders to say. */
const messageFields = Object.entries(MESSAGE_FIELDS)
  .map(([name, about]) => `| \`${name}\` | ${about} |`)
  .join('\n');

/** Files of docs/ by name, as they should be. */
export const WRITTEN: Readonly<Record<string, string>> = {
  'fields.md': `${fields}
## Messages of standing orders

What a text can say ([orders.md](orders.md)); not every order has all of them.

| field | what it says |
|---|---|
${messageFields}
`,
  'order.schema.json': schemaOf(orderSchema),
  'policy.schema.json': schemaOf(policySchema),
};

if (process.argv[1] === fileURLToPath(import.meta.url))
  for (const [name, text] of Object.entries(WRITTEN))
    writeFileSync(new URL(`../docs/${name}`, import.meta.url), text);
