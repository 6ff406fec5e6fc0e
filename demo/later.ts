/**
 * What happens in the demo's world after its first survey, and the survey of what changed: so that
 * there is something to compare. It happens once for a data directory.
 */
import { existsSync, readFileSync, writeFileSync } from 'node:fs';
import type { World } from './world.ts';

interface Stage {
  marker: string;
  changes: string;
  app: string;
  steward: { address: string; password: string };
  control: { url: string; token: string };
}

/** Makes the changes at the stand-ins. */
export async function makeChanges(changes: World['later'], control: Stage['control']): Promise<void> {
  for (const { kind, id, row } of changes) {
    const gone = row === null;
    await fetch(`${control.url}/control/truth/${kind}${gone ? `/${encodeURIComponent(id)}` : ''}`, {
      method: gone ? 'DELETE' : 'PUT',
      headers: { authorization: `Bearer ${control.token}` },
      ...(!gone && { body: JSON.stringify(row) }),
    });
  }
}

export async function happenLater(stage: Stage): Promise<void> {
  if (existsSync(stage.marker)) return;
  const headers: Record<string, string> = { origin: stage.app, 'content-type': 'application/json' };
  const signedIn = await fetch(`${stage.app}/api/session`, {
    method: 'POST',
    headers,
    body: JSON.stringify(stage.steward),
  });
  headers.cookie = signedIn.headers.get('set-cookie')?.split(';')[0] ?? '';
  for (;;) {
    const answer = await fetch(`${stage.app}/api/course`, { headers });
    const course = (await answer.json()) as { survey: { running: boolean; id: number | null } };
    // while the last survey is read after a start it says so
    if (answer.ok && course.survey.id !== null && !course.survey.running) break;
    await new Promise((r) => setTimeout(r, 500));
  }
  await makeChanges(JSON.parse(readFileSync(stage.changes, 'utf8')) as World['later'], stage.control);
  const started = await fetch(`${stage.app}/api/surveys`, {
    method: 'POST',
    headers,
    body: JSON.stringify({ kind: 'incremental' }),
  });
  if (!started.ok) throw new Error(await started.text());
  writeFileSync(stage.marker, '');
  await fetch(`${stage.app}/api/session`, { method: 'DELETE', headers, body: '{}' });
}
