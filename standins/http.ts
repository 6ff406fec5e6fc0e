/** What all stand-ins have in common: refusals, answers in JSON, lists in pages, versions. */
import { createHash } from 'node:crypto';
import type { IncomingMessage, ServerResponse } from 'node:http';
import type { Row } from './state.ts';

export const PAGE = 200;

export class Refusal extends Error {
  constructor(
    readonly status: number,
    message: string,
  ) {
    super(message);
  }
}

export const json = (res: ServerResponse, status: number, body: unknown, type = 'application/json'): void => {
  res.writeHead(status, { 'content-type': type }).end(JSON.stringify(body));
};

export async function bodyOf(req: IncomingMessage): Promise<unknown> {
  let text = '';
  for await (const chunk of req) {
    text += String(chunk);
    if (text.length > 1_000_000) throw new Refusal(413, 'The body is too large.');
  }
  return text ? (JSON.parse(text) as unknown) : undefined;
}

/** Pages of a list; the cursor names the position and the last id given, so that it can be resumed. */
export function list(
  url: URL,
  all: Row[],
  repeat: boolean,
): { rows: Row[]; next: string | null; total: number } {
  const limit = Math.max(1, Math.min(PAGE, Number(url.searchParams.get('limit') ?? PAGE)));
  const cursor = url.searchParams.get('cursor');
  let from = 0;
  if (cursor) {
    const [position, last] = JSON.parse(Buffer.from(cursor, 'base64url').toString()) as [number, string];
    const at = all.findIndex((r) => r.id === last);
    from = at >= 0 ? at + 1 : position;
  }
  if (repeat) from = Math.max(0, from - limit);
  const rows = all.slice(from, from + limit);
  const end = from + rows.length;
  const next =
    end < all.length
      ? Buffer.from(JSON.stringify([end, rows[rows.length - 1]!.id])).toString('base64url')
      : null;
  return { rows, next, total: all.length };
}

/** A row's entity tag. */
export const versionOf = (row: Row): string =>
  `"${createHash('sha256').update(JSON.stringify(row)).digest('base64url').slice(0, 16)}"`;

/** A change needs a key; the same key is answered as before and does nothing again. */
export function keyOf(req: IncomingMessage): string {
  const key = req.headers['idempotency-key'];
  if (typeof key !== 'string' || !key) throw new Refusal(400, 'A change needs an Idempotency-Key.');
  return key;
}

/** RFC 9110 §13.1.1: a change to another version than that named is refused. */
export function mustMatch(req: IncomingMessage, row: Row | undefined): void {
  const wanted = req.headers['if-match'];
  if (wanted && row && wanted !== versionOf(row)) throw new Refusal(412, 'It is of another version by now.');
}
