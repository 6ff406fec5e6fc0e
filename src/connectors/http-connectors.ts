/** Connectors over HTTP: a SCIM 2.0 directory, and a workspace of drives (docs/connectors.md). */
import { z } from 'zod';
import type { GrantRow, LinkRow } from '../core/model.ts';
import {
  complaint,
  grantSchema,
  groupSchema,
  itemSchema,
  linkSchema,
  personSchema,
  spaceSchema,
  workspaceSchema,
} from '../formats/rows.ts';
import { HttpClient, type HttpOptions } from './http.ts';
import {
  ConnectorError,
  type Changed,
  type DirectoryConnector,
  type ObjectRef,
  type Page,
  type RowOf,
  type WorkspaceConnector,
  type WorkspaceKind,
} from './port.ts';

const SCHEMA = {
  person: personSchema,
  group: groupSchema,
  space: spaceSchema,
  item: itemSchema,
  grant: grantSchema,
  link: linkSchema,
};
const COLLECTION = { space: 'spaces', item: 'items', grant: 'grants', link: 'links' } as const;

function understood<T>(schema: z.ZodType<T>, value: unknown, what: string): T {
  const parsed = schema.safeParse(value);
  if (parsed.success) return parsed.data;
  throw new ConnectorError(
    'not-understood',
    `The workspace’s ${what} is not as agreed: ${complaint(parsed.error)}.`,
  );
}

/** So many pages in a row without a new row are taken as a circle. */
const MOST_BARREN = 20;

const idOf = (row: unknown): string => {
  const id = (row as { id?: unknown } | null)?.id;
  return typeof id === 'string' ? id : '(no id)';
};

/** Sorts the rows of one page into those that fit and those that do not, leaving out ids seen before. */
function sift<K extends keyof RowOf>(
  kind: K,
  rows: unknown[],
  seen: Set<string>,
  total?: number,
): Page<RowOf[K]> {
  const page: Page<RowOf[K]> = { rows: [], rejected: [], ...(total !== undefined && { total }) };
  for (const row of rows) {
    const parsed = SCHEMA[kind].safeParse(row);
    if (!parsed.success) {
      page.rejected.push({ id: idOf(row), reason: complaint(parsed.error) });
      continue;
    }
    if (seen.has(parsed.data.id)) continue;
    seen.add(parsed.data.id);
    page.rows.push(parsed.data as RowOf[K]);
  }
  return page;
}

const scimPage = z.object({ totalResults: z.number().int(), Resources: z.array(z.unknown()).default([]) });

/** A directory that speaks SCIM 2.0 (RFC 7644 §3.4.2: paging by startIndex and count). */
export function scimDirectory(options: HttpOptions): DirectoryConnector {
  const http = new HttpClient(options);
  return {
    async *list(kind) {
      const seen = new Set<string>();
      const path = kind === 'person' ? '/Users' : '/Groups';
      for (let startIndex = 1; ;) {
        const page = understood(
          scimPage,
          await http.getJson(`${path}?startIndex=${startIndex}&count=200`),
          'list',
        );
        yield sift(kind, page.Resources, seen, page.totalResults);
        startIndex += page.Resources.length;
        if (page.Resources.length === 0 || startIndex > page.totalResults) return;
      }
    },
  };
}

const aboutSchema = z.object({
  organisation: z.object({
    name: z.string(),
    domains: z.array(z.string()),
    partnerDomains: z.array(z.string()),
  }),
  workspace: workspaceSchema,
  changeToken: z.string(),
});
const listSchema = z.object({
  rows: z.array(z.unknown()),
  next: z.string().nullable(),
  total: z.number().optional(),
});
const changesSchema = z.object({
  changes: z.array(z.object({ kind: z.string(), id: z.string(), row: z.unknown() })),
  changeToken: z.string(),
});

export function drivesWorkspace(options: HttpOptions): WorkspaceConnector {
  const http = new HttpClient(options);
  const objectPath = (ref: ObjectRef): string => `/${COLLECTION[ref.kind]}/${encodeURIComponent(ref.id)}`;
  return {
    about: async () => understood(aboutSchema, await http.getJson('/about'), 'description'),
    async *list(kind) {
      const seen = new Set<string>();
      let barren = 0;
      let cursor: string | null = null;
      do {
        const at: string = cursor === null ? '' : `&cursor=${encodeURIComponent(cursor)}`;
        const page: z.infer<typeof listSchema> = understood(
          listSchema,
          await http.getJson(`/${COLLECTION[kind]}?limit=200${at}`),
          'list',
        );
        const before = seen.size;
        yield sift(kind, page.rows, seen, page.total);
        cursor = page.next;
        // a page may come twice; pages that never bring anything new lead nowhere
        barren = seen.size > before ? 0 : barren + 1;
        if (barren > MOST_BARREN)
          throw new ConnectorError(
            'not-understood',
            `The workspace’s pages of ${kind}s go on without bringing anything new.`,
          );
      } while (cursor !== null);
    },
    async changesSince(token) {
      const answer = understood(
        changesSchema,
        await http.getJson(`/changes?since=${encodeURIComponent(token)}`),
        'list of changes',
      );
      const changes = answer.changes.flatMap((c): Changed[] => {
        const kind = (Object.keys(COLLECTION) as WorkspaceKind[]).find((k) => COLLECTION[k] === c.kind);
        if (!kind) return [];
        return [
          {
            kind,
            id: c.id,
            row: c.row === null ? null : understood(SCHEMA[kind] as z.ZodType, c.row, kind),
          } as Changed,
        ];
      });
      return { changes, changeToken: answer.changeToken };
    },
    async content(item) {
      const answer = await http.request('GET', `/items/${encodeURIComponent(item)}/content`, {
        accept: [404],
        timeLimit: 120_000,
      });
      return answer.status === 404 || !answer.body ? undefined : answer.body;
    },
    async read(ref) {
      const answer = await http.request('GET', objectPath(ref), { accept: [404] });
      return answer.status === 404
        ? null
        : understood<GrantRow | LinkRow>(
            ref.kind === 'grant' ? grantSchema : linkSchema,
            await answer.json(),
            ref.kind,
          );
    },
    async withdraw(ref, key) {
      return (await http.request('DELETE', objectPath(ref), { key, accept: [404] })).status === 404
        ? 'absent'
        : 'done';
    },
    async restore(ref, key) {
      return (await http.request('POST', `${objectPath(ref)}/restore`, { key, accept: [409] })).status === 409
        ? 'present'
        : 'done';
    },
  };
}
