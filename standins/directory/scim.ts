/** A directory: SCIM 2.0 (RFC 7643, RFC 7644). */
import type { IncomingMessage, ServerResponse } from 'node:http';
import { bodyOf, json, PAGE, Refusal, versionOf } from '../http.ts';
import type { Row } from '../state.ts';
import { state, tell } from '../world.ts';
import { write } from '../writing.ts';

const SCIM = 'urn:ietf:params:scim:api:messages:2.0';

/** RFC 7644 §3.4.2: filtering by one `attribute eq "value"`, paging by startIndex and count. */
export async function scim(
  req: IncomingMessage,
  res: ServerResponse,
  url: URL,
  kind: 'users' | 'groups',
): Promise<void> {
  const id = url.pathname.split('/')[4];
  if (id && req.method === 'PATCH') {
    const row = state.rows[kind].get(decodeURIComponent(id));
    return write(req, res, kind, row, scimPatched((await bodyOf(req)) as ScimPatch));
  }
  if (id) {
    const row = state.rows[kind].get(decodeURIComponent(id));
    if (!row)
      return json(
        res,
        404,
        { schemas: [`${SCIM}:Error`], status: '404', detail: 'There is no such resource.' },
        'application/scim+json',
      );
    res.setHeader('etag', versionOf(row));
    return json(res, 200, row, 'application/scim+json');
  }
  let rows = [...state.rows[kind].values()];
  const filter = url.searchParams.get('filter');
  if (filter) {
    const m = /^([A-Za-z.]+) eq (".*"|true|false)$/i.exec(filter);
    if (!m)
      return json(
        res,
        400,
        {
          schemas: [`${SCIM}:Error`],
          status: '400',
          scimType: 'invalidFilter',
          detail: 'Only eq filters are understood.',
        },
        'application/scim+json',
      );
    const wanted = JSON.parse(m[2]!) as unknown;
    const same = (v: unknown): boolean =>
      typeof v === 'string' && typeof wanted === 'string'
        ? v.toLowerCase() === wanted.toLowerCase()
        : v === wanted;
    rows = rows.filter((r) => {
      const values = m[1]!
        .split('.')
        .reduce<unknown[]>((at, name) => at.flatMap((v) => (v as Row)?.[name] ?? []).flat(), [r]);
      return values.some(same);
    });
  }
  const startIndex = Math.max(1, Number(url.searchParams.get('startIndex') ?? 1));
  const count = Math.max(0, Math.min(PAGE, Number(url.searchParams.get('count') ?? PAGE)));
  const Resources = rows.slice(startIndex - 1, startIndex - 1 + count);
  json(
    res,
    200,
    {
      schemas: [`${SCIM}:ListResponse`],
      totalResults: rows.length,
      startIndex,
      itemsPerPage: Resources.length,
      Resources,
    },
    'application/scim+json',
  );
}

interface ScimPatch {
  Operations: { op: string; path: string; value?: unknown }[];
}

const IDENTITY = 'urn:gatelantern:scim:1.0:Identity';

/** RFC 7644 §3.5.2, as far as it is asked for here: members, active, and when an account ends. */
const scimPatched =
  ({ Operations }: ScimPatch) =>
  (row: Row): Row => {
    const out = structuredClone(row);
    for (const { op, path, value } of Operations) {
      const member = /^members\[value eq (".*")\]$/.exec(path);
      const members = (out.members ?? []) as { value: string }[];
      if (member && op === 'remove') {
        const gone = JSON.parse(member[1]!) as string;
        if (!members.some((m) => m.value === gone)) throw new Refusal(404, 'They are not in this group.');
        out.members = members.filter((m) => m.value !== gone);
      } else if (path === 'members' && op === 'add') {
        const more = value as { value: string }[];
        out.members = [...members.filter((m) => !more.some((x) => x.value === m.value)), ...more];
      } else if (path === 'active' && op === 'replace') out.active = value;
      else if (path === `${IDENTITY}:expiresAt`) {
        const identity = { ...(out[IDENTITY] as object), expiresAt: value };
        if (op === 'remove') delete (identity as { expiresAt?: unknown }).expiresAt;
        else tell('guest', out.id, `The account ends on ${String(value)}.`);
        out[IDENTITY] = identity;
      } else throw new Refusal(400, `${op} ${path} is not understood.`);
    }
    return out;
  };
