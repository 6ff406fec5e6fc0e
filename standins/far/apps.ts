/** Apps as a person of the organisation sees them: which they have let in, letting one in, and asking for one that is refused. */
import { randomUUID } from 'node:crypto';
import type { Row } from '../state.ts';
import { ACCOUNTS, state } from '../world.ts';
import { decide, type Verdict } from './ask.ts';
import type { Person } from './act.ts';

const grantOf = (app: Row, who: Person): Row | undefined =>
  [...state.rows['app-grants'].values()].find((g) => g.app === app.id && g.user === who.user);

/** Scopes that an app asks for: those that others let it in for. */
export function scopesOf(app: Row): string[] {
  const all = [...state.rows['app-grants'].values()].filter((g) => g.app === app.id);
  return [...new Set(all.flatMap((g) => g.scopes as string[]))].sort();
}

/** Apps with whether they have let each in. */
export const appsFor = (who: Person): { app: Row; scopes: string[] | undefined }[] =>
  [...state.rows.apps.values()].map((app) => ({
    app,
    scopes: grantOf(app, who)?.scopes as string[] | undefined,
  }));

/** Lets an app in, if that is allowed. `asks`: the reason of whoever was refused and asks for it; `goesOn`: they were cautioned. */
export async function consent(
  who: Person,
  app: Row,
  scopes: readonly string[],
  more: { asks?: string; goesOn?: boolean } = {},
): Promise<Verdict> {
  const workspace = String(app.workspace);
  const prefix = ACCOUNTS[workspace] ?? '';
  const verdict = await decide(workspace, {
    subject: { type: 'user', id: prefix + who.user },
    resource: {
      type: 'app',
      id: app.id,
      properties: { name: app.name, publisher: app.publisher, verified: app.verified },
    },
    action: { name: 'consent' },
    context: {
      access: 'checked',
      device: { managed: who.managed },
      time: new Date().toISOString(),
      scopes,
      ...(more.asks && { asks: { reason: more.asks } }),
      ...(more.goesOn && { goesOn: {} }),
    },
  });
  if (!verdict.decision || verdict.caution) return verdict;
  const id = grantOf(app, who)?.id ?? `far-${randomUUID()}`;
  const now = new Date().toISOString();
  state.change({
    key: randomUUID(),
    kind: 'app-grants',
    id,
    op: 'put',
    row: { id, app: app.id, workspace, user: who.user, scopes: [...scopes], grantedAt: now, lastUsedAt: now },
  });
  return verdict;
}
