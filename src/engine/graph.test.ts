/** The drawing of routes on a real survey: what is gathered, and what each cut would cost. */
import { expect, it } from 'vitest';
import { ownDb } from '../../tests/own-db.ts';
import { observeOne, type ObservedKind } from '../store/observed.ts';
import { routeGraph } from './graph.ts';
import { loadSurvey, type Loaded } from './loaded.ts';

const AT = '2026-03-02T09:00:00.000Z';
let l: Loaded;

ownDb(async (db) => {
  const [survey] = await db.query<{ id: number }>(
    "insert into survey (kind, state, started_by, started_at) values ('full', 'done', 't', now()) returning id",
  );
  const put = (kind: ObservedKind, source: string, id: string, doc: object) =>
    observeOne(db, survey!.id, { kind, source, id, doc: { id, ...doc } });
  await put('about', 'w', 'w', {
    organisation: { name: 'O', domains: ['o.example'], partnerDomains: [] },
    workspace: { id: 'w', name: 'W', inheritance: 'additive' },
  });
  for (const u of ['ada', 'bo', 'cy', 'di', 'eve'])
    await put('person', 'd', u, { name: u, addresses: [`${u}@o.example`], active: true, kind: 'member' });
  await put('group', 'd', 'team', { name: 'Team', members: [{ value: 'di' }, { value: 'eve' }] });
  await put('space', 'w', 's', { workspace: 'w', kind: 'site', name: 'S' });
  await put('item', 'w', 'i', { space: 's', kind: 'file', name: 'I' });
  const grant = (id: string, on: object, to: object, role: string) => put('grant', 'w', id, { on, to, role });
  for (const u of ['ada', 'bo', 'cy']) await grant(`g-${u}`, { item: 'i' }, { user: u }, 'editor');
  await grant('g-team', { space: 's' }, { group: 'team' }, 'reader');
  await grant('g-out', { item: 'i' }, { email: 'x@away.example' }, 'editor');
  // eve has a grant of her own beside the team's, so she is not one of those who are alike
  await grant('g-eve', { item: 'i' }, { user: 'eve' }, 'editor');
  l = await loadSurvey(db, survey!.id, AT);
});

it('draws people who are each let in by a grant alike as one, and what takes all of them away', () => {
  const graph = routeGraph(l, 'item:w:i')!;
  expect(graph.people).toBe(6);
  const who = graph.nodes.filter((n) => n.column === 'who').map((n) => [n.label, n.count]);
  expect(who).toHaveLength(4);
  expect(who).toEqual(
    expect.arrayContaining([
      ['3 members', 3],
      ['x@away.example', 1],
      ['di', 1],
      ['eve', 1],
    ]),
  );
  const each = graph.nodes.find((n) => n.label === 'each by a grant: editor')!;
  expect(each.entries!.map((e) => e.id).sort()).toEqual(['g-ada', 'g-bo', 'g-cy']);
  const cut = (from: string) => graph.edges.find((e) => e.from === from)!.cut;
  expect(cut(each.id)).toBe(3);
  // the team's grant is all that di has; eve keeps her own
  const team = graph.nodes.find((n) => n.label === 'grant: reader')!;
  expect(cut(team.id)).toBe(1);
});
