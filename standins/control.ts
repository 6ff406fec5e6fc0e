/** For tests: faults on demand, what is really set, and the messages that went out. */
import type { IncomingMessage, ServerResponse } from 'node:http';
import { bodyOf, json, Refusal } from './http.ts';
import { asking, type DecisionSettings } from './far/ask.ts';
import { acts, happen, hearing, send, type Hearing } from './happenings.ts';
import { behaviour, letters } from './mail/server.ts';
import { posts } from './posts.ts';
import type { FaultRule } from './faults.ts';
import type { Kind, Row } from './state.ts';
import { faults, outbox, state } from './world.ts';

export async function control(req: IncomingMessage, res: ServerResponse, url: URL): Promise<void> {
  const [, , what, kind, id] = url.pathname.split('/');
  if (what === 'faults') {
    if (req.method === 'PUT') faults.set((await bodyOf(req)) as FaultRule[]);
    return json(res, 200, faults.list());
  }
  if (what === 'decisions') {
    if (req.method === 'PUT') Object.assign(asking, (await bodyOf(req)) as DecisionSettings);
    return json(res, 200, {
      url: asking.url,
      whenSilent: asking.whenSilent,
      asks: Object.keys(asking.tokens),
    });
  }
  if (what === 'hearing') {
    if (req.method === 'PUT') {
      Object.assign(hearing, (await bodyOf(req)) as Hearing);
      void send();
    }
    return json(res, 200, { ...hearing, secrets: Object.keys(hearing.secrets) });
  }
  if (what === 'happen') {
    const { workspace, type, subject, data, time } = (await bodyOf(req)) as {
      workspace: string;
      type: string;
      subject?: string;
      data: object;
      time?: string;
    };
    happen(workspace, type, subject, data, time);
    return json(res, 200, null);
  }
  if (what === 'acts') return json(res, 200, acts());
  if (what === 'outbox') return json(res, 200, outbox);
  if (what === 'mail') {
    if (req.method === 'PUT') Object.assign(behaviour, await bodyOf(req));
    return json(res, 200, { behaviour, letters });
  }
  if (what === 'posts') return json(res, 200, posts);
  if (what === 'forget') {
    state.forgotten = Number(state.token);
    return json(res, 200, state.token);
  }
  if (what === 'truth' && req.method === 'GET') {
    const rows = state.rows[kind as Kind];
    return json(res, 200, id ? (rows.get(decodeURIComponent(id)) ?? null) : [...rows.values()]);
  }
  if (what === 'truth' && (req.method === 'PUT' || req.method === 'DELETE')) {
    const row = req.method === 'PUT' ? ((await bodyOf(req)) as Row) : undefined;
    state.change({
      key: `control-${Date.now()}-${Math.random()}`,
      kind: kind as Kind,
      ...(row ? { id: row.id, op: 'put', row } : { id: decodeURIComponent(id!), op: 'delete' }),
    });
    return json(res, 200, row ?? null);
  }
  throw new Refusal(404, 'There is no such control.');
}
