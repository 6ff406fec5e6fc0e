/**
 * Users and groups in other open formats: a SCIM 2.0 ListResponse (RFC 7644 §3.4.2) as JSON, and CSV
 * (RFC 4180) with a header and, where its names differ, a mapping from attribute to column.
 */
import { parse } from 'csv-parse';
import { parseJson } from './json.ts';
import { SCIM_ENTERPRISE, SCIM_IDENTITY } from './rows.ts';

/** A value as it would stand in a .jsonl file, or what is wrong with it. */
export interface PeopleValue {
  line: number;
  value?: unknown;
  wrong?: string;
}

const NOT_UTF8 = 'it is not UTF-8';
const LONGEST = 512 * 1024 * 1024;

export async function* peopleFile(
  kind: 'users' | 'groups',
  ending: 'json' | 'csv',
  pieces: AsyncIterable<Uint8Array>,
  columns: Readonly<Record<string, string>>,
): AsyncGenerator<PeopleValue> {
  if (ending === 'json') yield* listResponse(pieces);
  else yield* kind === 'users' ? usersFromCsv(pieces, columns) : groupsFromCsv(pieces, columns);
}

/** The resources of a ListResponse; `line` is the resource's place in it, from 1. */
async function* listResponse(pieces: AsyncIterable<Uint8Array>): AsyncGenerator<PeopleValue> {
  const decoder = new TextDecoder('utf-8', { fatal: true });
  let text = '';
  try {
    for await (const p of pieces) {
      text += decoder.decode(p, { stream: true });
      if (text.length > LONGEST) throw new Error('it is longer than 512 MB; write it as JSON Lines');
    }
    text += decoder.decode();
  } catch (e) {
    if (!(e instanceof TypeError)) throw e;
    yield { line: 1, wrong: NOT_UTF8 };
    return;
  }
  let parsed: unknown;
  try {
    parsed = parseJson(text);
  } catch {
    yield { line: 1, wrong: 'it is not JSON' };
    return;
  }
  const resources = Array.isArray(parsed) ? parsed : (parsed as { Resources?: unknown } | null)?.Resources;
  if (!Array.isArray(resources)) {
    yield { line: 1, wrong: 'it is no ListResponse: Resources is missing' };
    return;
  }
  for (const [i, value] of resources.entries()) yield { line: i + 1, value };
}

type Cells = (attribute: string) => string | undefined;

/** The records of a CSV, asked by attribute. */
async function* records(
  pieces: AsyncIterable<Uint8Array>,
  columns: Readonly<Record<string, string>>,
): AsyncGenerator<{ line: number; cell?: Cells; wrong?: string }> {
  const parser = parse({
    bom: true,
    skip_empty_lines: true,
    relax_column_count: true,
    max_record_size: 16 * 1024 * 1024,
    info: true,
  });
  const feed = (async () => {
    for await (const p of pieces) if (!parser.write(p)) await new Promise((r) => parser.once('drain', r));
    parser.end();
  })();
  feed.catch((e: Error) => parser.destroy(e));
  let header: string[] | undefined;
  let line = 1;
  try {
    for await (const { record, info } of parser as AsyncIterable<{
      record: string[];
      info: { lines: number };
    }>) {
      line = info.lines;
      if (!header) {
        header = record.map((c) => c.trim());
        continue;
      }
      // what stands for bytes that are no character
      if (record.some((cell) => cell.includes('\uFFFD'))) {
        yield { line, wrong: NOT_UTF8 };
        continue;
      }
      if (record.length !== header.length) {
        yield { line, wrong: `it has ${record.length} cells and the header ${header.length}` };
        continue;
      }
      const names = header;
      yield {
        line,
        cell: (attribute) => {
          const at = names.indexOf(columns[attribute] ?? attribute);
          return at < 0 || record[at] === '' ? undefined : record[at];
        },
      };
    }
  } catch (e) {
    yield { line: line + 1, wrong: `it is not CSV: ${(e as Error).message}` };
  }
}

const truth = (cell: string | undefined): boolean | undefined =>
  cell === undefined ? undefined : !/^(false|no|0|inactive|disabled)$/i.test(cell.trim());

/** One user a record. Attributes: id, userName, displayName, emails (with semicolons), active, title, department, manager, kind. */
async function* usersFromCsv(
  pieces: AsyncIterable<Uint8Array>,
  columns: Readonly<Record<string, string>>,
): AsyncGenerator<PeopleValue> {
  for await (const { line, cell, wrong } of records(pieces, columns)) {
    if (!cell) {
      yield { line, wrong: wrong ?? 'it cannot be read' };
      continue;
    }
    const department = cell('department');
    const manager = cell('manager');
    const kind = cell('kind');
    const active = truth(cell('active'));
    yield {
      line,
      value: {
        id: cell('id'),
        userName: cell('userName'),
        displayName: cell('displayName'),
        ...(active !== undefined && { active }),
        title: cell('title'),
        emails: (cell('emails') ?? '')
          .split(';')
          .map((e) => e.trim())
          .filter(Boolean)
          .map((value) => ({ value })),
        ...((department ?? manager) && {
          [SCIM_ENTERPRISE]: {
            ...(department && { department }),
            ...(manager && { manager: { value: manager } }),
          },
        }),
        ...(kind && { [SCIM_IDENTITY]: { kind } }),
      },
    };
  }
}

/** One membership a record. Attributes: id, displayName, member, memberType, rule; records of one group need not stand together. */
async function* groupsFromCsv(
  pieces: AsyncIterable<Uint8Array>,
  columns: Readonly<Record<string, string>>,
): AsyncGenerator<PeopleValue> {
  const groups = new Map<
    string,
    { line: number; displayName?: string; rule?: string; members: { value: string; type?: string }[] }
  >();
  for await (const { line, cell, wrong } of records(pieces, columns)) {
    const id = cell?.('id');
    if (!cell || id === undefined) {
      yield { line, wrong: wrong ?? 'id: is missing' };
      continue;
    }
    const group = groups.get(id) ?? groups.set(id, { line, members: [] }).get(id)!;
    const name = cell('displayName');
    if (name) group.displayName ??= name;
    const rule = cell('rule');
    if (rule) group.rule ??= rule;
    const member = cell('member');
    const type = cell('memberType');
    if (member) group.members.push({ value: member, ...(type && { type }) });
  }
  for (const [id, { line, rule, ...group }] of groups)
    yield { line, value: { id, ...group, ...(rule && { [SCIM_IDENTITY]: { rule } }) } };
}
