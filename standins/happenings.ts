/**
 * What happens in the workspaces, as CloudEvents 1.0: everything that people do on the far side, and every change of what
 * is granted and set. It is told to whoever asks from a position on, and sent to whoever is to hear of it, signed as Standard
 * Webhooks have it. When told to, it is sent twice, late, or the wrong way round.
 */
import { randomUUID } from 'node:crypto';
import { appendFileSync, existsSync, readFileSync } from 'node:fs';
import type { ServerResponse } from 'node:http';
import { join } from 'node:path';
import { CloudEvent, HTTP } from 'cloudevents';
import { Webhook } from 'standardwebhooks';
import { kindOfFile } from '../src/core/row-kinds.ts';
import { json } from './http.ts';
import { asAccounts } from './reading.ts';
import type { Kind, Row } from './state.ts';
import { ACCOUNTS, args, state } from './world.ts';

export interface Hearing {
  /** Where events go, without the name of the workspace at its end; none: nowhere. */
  url?: string | undefined;
  /** By workspace. */
  secrets: Record<string, string>;
  mode: 'structured' | 'binary' | 'batch';
  twice: boolean;
  /** Nothing is sent until this is false again; then all that waits, the newest first where it is to be reversed. */
  hold: boolean;
  reversed: boolean;
  /** What is granted and set is not told at all. */
  deaf: boolean;
}
export const hearing: Hearing = {
  secrets: {},
  mode: 'structured',
  twice: false,
  hold: false,
  reversed: false,
  deaf: false,
};

interface Told {
  workspace: string;
  event: { id: string; data: object; [attribute: string]: unknown };
}
const file = join(args.state!, 'happened.jsonl');
const told: Told[] = existsSync(file)
  ? readFileSync(file, 'utf8')
      .split('\n')
      .filter(Boolean)
      .map((l) => JSON.parse(l) as Told)
  : [];
let waiting: Told[] = [];
const PART = 200;
const TRIES = 60;

/** Says that something happened; users by their ids in the directory. */
export function happen(
  workspace: string,
  type: string,
  subject: string | undefined,
  data: object,
  time = new Date().toISOString(),
): void {
  const one: Told = {
    workspace,
    event: {
      specversion: '1.0',
      id: randomUUID(),
      source: `/workspaces/${workspace}`,
      type,
      ...(subject && { subject }),
      time,
      datacontenttype: 'application/json',
      data,
    },
  };
  appendFileSync(file, JSON.stringify(one) + '\n');
  told.push(one);
  waiting.push(one);
  void send();
}

/** What people did with files, as it is told. */
export const acts = (): object[] =>
  told.flatMap((t) => (String(t.event.type).startsWith('file.') ? [t.event] : []));

/** As the workspace writes it: users by its own accounts. */
const written = ({ workspace, event }: Told): Told['event'] => ({
  ...event,
  data: asAccounts(ACCOUNTS[workspace] ?? 'c-', event.data) as object,
});

/** What happened in a workspace from a position on. */
export function happened(res: ServerResponse, url: URL, workspace: string): void {
  const given = url.searchParams.get('since');
  const since = given ? Number(given) : told.length;
  const part = told.slice(since, since + PART);
  json(res, 200, {
    events: part.filter((t) => t.workspace === workspace).map(written),
    next: String(since + part.length),
    more: since + part.length < told.length,
  });
}

let sending = false;
/** Sends what waits, one message after another, each until it is taken. */
export async function send(): Promise<void> {
  if (sending) return;
  sending = true;
  try {
    while (waiting.length && !hearing.hold) {
      const list = hearing.url ? waiting : [];
      waiting = [];
      if (hearing.reversed) list.reverse();
      if (hearing.mode === 'batch') {
        for (const workspace of new Set(list.map((t) => t.workspace))) {
          const of = list.filter((t) => t.workspace === workspace).map(written);
          await post(workspace, randomUUID(), JSON.stringify(of), {
            'content-type': 'application/cloudevents-batch+json',
          });
        }
        continue;
      }
      for (const one of list) {
        const event = new CloudEvent(written(one));
        const { headers, body } = hearing.mode === 'binary' ? HTTP.binary(event) : HTTP.structured(event);
        await post(one.workspace, one.event.id, body as string, headers as Record<string, string>);
      }
    }
  } finally {
    sending = false;
  }
}

async function post(
  workspace: string,
  id: string,
  body: string,
  headers: Record<string, string>,
): Promise<void> {
  const secret = hearing.secrets[workspace];
  if (!secret) return;
  for (let n = hearing.twice ? 2 : 1; n > 0; n--)
    for (let tries = 0; tries < TRIES; tries++) {
      const now = new Date();
      const answer = await fetch(`${hearing.url}/${workspace}`, {
        method: 'POST',
        headers: {
          ...headers,
          'webhook-id': id,
          'webhook-timestamp': String(Math.floor(now.getTime() / 1000)),
          'webhook-signature': new Webhook(secret).sign(id, now, body),
        },
        body,
        signal: AbortSignal.timeout(10_000),
      }).catch(() => undefined);
      await answer?.body?.cancel();
      // what is refused is refused the next time too
      if (answer?.ok || (answer && answer.status < 500 && answer.status !== 429)) break;
      await new Promise((resolve) => setTimeout(resolve, Math.min(1000, 100 * 2 ** tries)));
    }
}

const CONTENT = new Set(['modifiedAt', 'modifiedBy']);
/** What a change of a row is, as an event; undefined where nobody needs to know. */
function changeOf(kind: Kind, before: Row | undefined, after: Row | undefined) {
  const of = kindOfFile(kind);
  const row = after ?? before!;
  const on = row.on as { item?: string; space?: string } | undefined;
  const done = after ? (before ? 'changed' : 'made') : 'removed';
  if (of === 'grant' || of === 'link') {
    const target =
      of === 'grant'
        ? row.to
        : row.audience === 'anyone'
          ? { anyone: true }
          : row.audience === 'organisation'
            ? { everyone: true }
            : (row.recipients as unknown[] | undefined)?.[0];
    const by = row.grantedBy ?? row.createdBy;
    return {
      type: `${of}.${done}`,
      subject: on?.item,
      data: {
        ...(on?.space && { space: on.space }),
        ...(target !== undefined && { target }),
        ...(row.role !== undefined && { role: row.role }),
        ...(done === 'made' && by !== undefined && { user: by }),
        [of]: row.id,
      },
    };
  }
  if (of === 'appGrant' && done !== 'changed')
    return {
      type: after ? 'app.consented' : 'app.withdrawn',
      subject: undefined,
      data: {
        ...(row.user !== undefined && { user: row.user }),
        detail: String(state.rows.apps.get(row.app as string)?.name ?? row.app),
      },
    };
  if (!before || !after || (of !== 'space' && of !== 'item')) return undefined;
  const changed = [...new Set([...Object.keys(before), ...Object.keys(after)])].filter(
    (f) => !CONTENT.has(f) && JSON.stringify(before[f]) !== JSON.stringify(after[f]),
  );
  if (!changed.length) return undefined;
  const where = of === 'space' ? { space: row.id } : {};
  const subject = of === 'item' ? row.id : undefined;
  if (of === 'item' && changed.includes('binned'))
    return { type: after.binned ? 'file.deleted' : 'file.restored', subject, data: where };
  return changed.includes('label')
    ? { type: 'label.set', subject, data: { ...where, detail: changed } }
    : {
        type: of === 'space' ? 'setting.changed' : 'file.edited',
        subject,
        data: { ...where, detail: changed },
      };
}

state.onChange = (kind, before, after) => {
  if (hearing.deaf) return;
  const workspace = state.workspaceOf(kind, after ?? before);
  const change = workspace && changeOf(kind, before, after);
  if (change) happen(workspace, change.type, change.subject, change.data);
};
