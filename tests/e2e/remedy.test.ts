/** Remedy: every kind of change at every kind of workspace, plans approved, stopped, proven, brought back and undone. */
import { spawnSync } from 'node:child_process';
import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest';
import type { ChangeOption, QuarantineRow, PlanDetail, PlanRow, TrayState } from '../../src/dto/remedy.ts';
import { memberId, type PlannedChange } from '../../src/core/remedy/plan.ts';
import { UNKNOWN } from '../../src/core/remedy/states.ts';
import { Scene, until, type Role } from './harness.ts';

const scene = new Scene();
beforeAll(async () => {
  await scene.upSurveyed();
});
afterAll(() => scene.down());
beforeEach(async () => {
  await scene.faults([]);
  await scene.emptyTray();
});

interface Truth {
  id: string;
  [field: string]: unknown;
}
const all = (kind: string) => scene.truth<Truth[]>(kind);
const plan = (id: number) => scene.api<PlanDetail>('GET', `/api/plans/${id}`);
const act = (id: number, name: string, more: object = {}, role: Role = 'steward') =>
  scene.api('POST', `/api/plans/${id}`, { act: name, ...more }, role);
const refused = async (id: number, name: string, more: object = {}, role: Role = 'steward') => {
  const answer = await scene.raw('POST', `/api/plans/${id}`, { role, body: { act: name, ...more } });
  return { status: answer.status, ...((await answer.json()) as { type: string; detail: string }) };
};
const reaches = (id: number, test: (p: PlanDetail) => boolean, what: string, seconds?: number) =>
  until(
    `plan ${id} ${what}`,
    async () => {
      const p = await plan(id);
      return test(p) ? p : undefined;
    },
    seconds,
  );
const ended = (id: number) => reaches(id, (p) => p.state === 'applied' || p.state === 'undone', 'to end');
const pickUp = (changes: PlannedChange[], goal?: object) =>
  scene.api('POST', '/api/tray', { changes, ...(goal && { goal }) });
async function made(changes: PlannedChange[], goal?: object): Promise<number> {
  await pickUp(changes, goal);
  return (await scene.api<{ id: number }>('POST', '/api/plans', { name: 'A test', reason: 'to see' })).id;
}
/** Applies a plan, with whatever approval it wants. */
async function carriedOut(id: number): Promise<PlanDetail> {
  await scene.approved(id);
  await act(id, 'apply');
  return ended(id);
}

/** The space of each item, and the workspace of each space. */
async function world() {
  const [spaces, items, grants, links, groups, users] = await Promise.all(
    ['spaces', 'items', 'grants', 'links', 'groups', 'users'].map(all),
  );
  const workspaceOf = new Map(spaces!.map((s) => [s.id, s.workspace as string]));
  const spaceOf = new Map(items!.map((i) => [i.id, i.space as string]));
  const at = (r: Truth): string => {
    const on = r.on as { space?: string; item?: string } | undefined;
    return workspaceOf.get(on?.space ?? spaceOf.get(on?.item ?? '') ?? (r.space as string) ?? r.id)!;
  };
  const of = (list: Truth[], workspace: string, test: (r: Truth) => boolean = () => true): Truth => {
    const found = list.find((r) => at(r) === workspace && test(r));
    if (!found) throw new Error(`nothing like that in ${workspace}`);
    return found;
  };
  return {
    spaces: spaces!,
    items: items!,
    grants: grants!,
    links: links!,
    groups: groups!,
    users: users!,
    of,
    at,
  };
}

const isGuest = (u: Truth): boolean =>
  (u['urn:gatelantern:scim:1.0:Identity'] as { kind?: string } | undefined)?.kind === 'guest';
const files = (r: Truth): boolean => r.kind === 'file';

/** One change of every kind that each workspace knows, each to a thing of its own. */
async function everyKind(): Promise<PlannedChange[]> {
  const w = await world();
  const used = new Set<string>();
  const pick = (
    kind: PlannedChange['kind'],
    list: Truth[],
    workspace: string,
    test: (r: Truth) => boolean,
  ): string => {
    const row = w.of(list, workspace, (r) => !used.has(`${kind}${r.id}`) && test(r));
    used.add(`${kind}${row.id}`);
    return row.id;
  };
  const grant = (workspace: string, test: (r: Truth) => boolean) => pick('grant', w.grants, workspace, test);
  const link = (workspace: string, test: (r: Truth) => boolean) => pick('link', w.links, workspace, test);
  const space = (workspace: string, test: (r: Truth) => boolean = () => true) =>
    pick('space', w.spaces, workspace, test);
  const item = (workspace: string) => pick('item', w.items, workspace, files);
  const editor = (r: Truth): boolean => r.role === 'editor';
  const anyone = (r: Truth): boolean => r.audience === 'anyone';
  const guest = (n: number): string => w.users.filter(isGuest)[n]!.id;
  const members = w.users.filter((u) => !isGuest(u) && u.active !== false);
  const group = w.groups.find(
    (g) =>
      !(g['urn:gatelantern:scim:1.0:Identity'] as { rule?: string } | undefined)?.rule &&
      (g.members as object[]).length > 3,
  )!;
  const day = '2027-06-01T00:00:00.000Z';
  const on = (source: string) => ({ source });
  const changes: PlannedChange[] = [
    { kind: 'grant', ...on('drives'), id: grant('drives', editor), set: { role: 'reader' } },
    {
      kind: 'grant',
      ...on('drives'),
      id: grant('drives', editor),
      set: { expiresAt: day, role: 'commenter' },
    },
    { kind: 'grant', ...on('drives'), id: grant('drives', editor) },
    {
      kind: 'link',
      ...on('drives'),
      id: link('drives', anyone),
      set: { audience: 'named', recipients: [{ user: members[3]!.id }] },
    },
    {
      kind: 'link',
      ...on('drives'),
      id: link('drives', () => true),
      set: { noCopies: true, expiresAt: day },
    },
    {
      kind: 'space',
      ...on('drives'),
      id: space('drives'),
      set: { externalSharing: 'existing-guests', defaultAudience: 'named' },
    },
    { kind: 'space', ...on('drives'), id: space('drives'), set: { owners: [members[4]!.id] } },
    { kind: 'item', ...on('drives'), id: item('drives'), set: { owner: members[5]!.id } },
    { kind: 'item', ...on('drives'), id: item('drives'), set: { held: true } },
    { kind: 'item', ...on('drives'), id: item('drives'), set: { dim: true } },
    {
      kind: 'grant',
      ...on('sites'),
      id: grant('sites', (r) => r.role === 'editor'),
      set: { role: 'reader' },
    },
    { kind: 'link', ...on('sites'), id: link('sites', anyone), set: { audience: 'organisation' } },
    {
      kind: 'space',
      ...on('sites'),
      id: space('sites', (r) => r.visibility === 'organisation'),
      set: { visibility: 'members', dim: true },
    },
    { kind: 'space', ...on('sites'), id: space('sites'), set: { gate: [group.id], editorsShare: false } },
    { kind: 'item', ...on('sites'), id: item('sites'), set: { inherits: false } },
    { kind: 'item', ...on('sites'), id: item('sites'), set: { held: true } },
    { kind: 'item', ...on('sites'), id: item('sites'), set: { owner: `a-${members[6]!.id}` } },
    { kind: 'grant', ...on('channels'), id: grant('channels', (r) => r.role === 'editor') },
    {
      kind: 'grant',
      ...on('channels'),
      id: grant('channels', (r) => r.role === 'manager'),
      set: { role: 'editor' },
    },
    {
      kind: 'space',
      ...on('channels'),
      id: space('channels', (r) => r.visibility === 'organisation'),
      set: { visibility: 'members' },
    },
    { kind: 'item', ...on('channels'), id: item('channels'), set: { held: true } },
    {
      kind: 'member',
      ...on('directory'),
      id: memberId(group.id, (group.members as { value: string }[])[1]!.value),
    },
    { kind: 'person', ...on('directory'), id: guest(0), set: { active: false } },
    { kind: 'person', ...on('directory'), id: guest(1), set: { expiresAt: day } },
  ];
  return changes;
}

const KINDS = ['spaces', 'items', 'grants', 'links', 'users', 'groups'];
/** Everything that is really set; in groups the order of members says nothing. */
const everything = async () =>
  Object.fromEntries(
    await Promise.all(
      KINDS.map(async (k) => [
        k,
        Object.fromEntries(
          (await all(k)).map((r) => [
            r.id,
            k === 'groups'
              ? { ...r, members: (r.members as { value: string }[]).map((m) => m.value).sort() }
              : r,
          ]),
        ),
      ]),
    ),
  ) as Record<string, Record<string, Truth>>;

describe('a plan of every kind of change', () => {
  let id: number;
  let before: Record<string, Record<string, Truth>>;
  let changes: PlannedChange[];

  it('is made as it was picked up, and wants a second steward, who alone may approve', async () => {
    before = await everything();
    changes = await everyKind();
    id = await made(changes);
    const draft = await plan(id);
    expect(draft.list).toHaveLength(changes.length);
    expect(draft.approval!.wants.join()).toMatch(/account.*quarantine/);
    expect((await refused(id, 'apply')).type).toMatch(/needs-approval$/);
    await act(id, 'ask');
    expect((await refused(id, 'decide', { approved: true, survey: draft.survey })).type).toMatch(
      /same-steward$/,
    );
    expect(
      (await refused(id, 'decide', { approved: true, survey: draft.survey + 1 }, 'deputy')).type,
    ).toMatch(/preview-old$/);
    await act(id, 'decide', { approved: false, said: 'not today', survey: draft.survey }, 'deputy');
    expect(await plan(id)).toMatchObject({
      state: 'draft',
      note: expect.stringContaining('not today') as string,
    });
    await act(id, 'ask');
    await act(id, 'decide', { approved: true, said: 'as agreed', survey: draft.survey }, 'deputy');
    expect(await plan(id)).toMatchObject({ state: 'approved', approval: { by: 'deputy@tarntide.example' } });
    expect(await everything()).toEqual(before);
  });

  it('does at the workspaces exactly what it says, sends the messages it said, and a survey finds nothing else', async () => {
    const foreseen = (await plan(id)).preview.messages.reduce((n, m) => n + m.count, 0);
    await act(id, 'apply');
    const applied = await ended(id);
    expect(applied.list.map((c) => `${c.words}: ${c.state} ${c.note ?? ''}`)).toEqual(
      applied.list.map((c) => `${c.words}: verified `),
    );
    expect(await scene.outbox()).toHaveLength(foreseen);

    // the truth is what was there, with each change made by a plain reading of it
    const wanted = structuredClone(before);
    const own = (v: unknown): unknown =>
      typeof v === 'string' ? v.replace(/^[ac]-/, '') : Array.isArray(v) ? v.map(own) : v;
    for (const c of changes) {
      if (c.kind === 'member') {
        const [group, value] = c.id.split('/') as [string, string];
        const row = wanted.groups![group]!;
        row.members = (row.members as string[]).filter((m) => m !== value);
      } else if (c.kind === 'person') {
        const row = wanted.users![c.id]!;
        const key = 'urn:gatelantern:scim:1.0:Identity';
        if (c.set.active === false) row.active = false;
        if (c.set.expiresAt) row[key] = { ...(row[key] as object), expiresAt: c.set.expiresAt };
      } else {
        const rows = wanted[`${c.kind}s`]!;
        const key = c.id;
        if (!c.set) delete rows[key];
        else for (const [k, v] of Object.entries(c.set)) rows[key]![k] = own(v);
        // an open channel is one that is visible; a closed one says nothing
        if (c.source === 'channels' && c.kind === 'space') delete rows[key]!.visibility;
      }
    }
    expect(await everything()).toEqual(wanted);

    // what was read back is what a survey of everything sees; the accounts of a workspace are those that
    // something in it names, so that one comes with the new owner and one goes with who left a channel
    const survey = await scene.survey();
    expect(survey).toMatchObject({ state: 'done', failures: 0, added: 1, altered: 0, removed: 1 });
    expect((await plan(id)).list.filter((c) => c.drift)).toEqual([]);
  });

  it('shows what is in quarantine and how far it would be reached; nobody can do anything with it', async () => {
    const { rows: held } = await scene.api<{ rows: QuarantineRow[] }>(
      'GET',
      '/api/quarantine',
      undefined,
      'auditor',
    );
    expect(held.map((h) => h.plan?.id)).toEqual([id, id, id]);
    expect(held.every((h) => h.back.people > 0)).toBe(true);
    for (const h of held) {
      const who = await scene.api<{ total: number }>(
        'GET',
        `/api/holdings/who?node=${encodeURIComponent(h.key)}`,
      );
      expect(who.total).toBe(0);
      const options = await scene.api<ChangeOption[]>(
        'GET',
        `/api/holdings/options?kind=item&source=${h.source}&id=${encodeURIComponent(h.item)}`,
      );
      expect(options.some((o) => o.words.startsWith('Release') && !o.cannot)).toBe(true);
    }
  });

  it('leaves evidence that gl checks without the application, and that shows alteration', async () => {
    const jws = await (await scene.raw('GET', `/api/evidence/${id}`, { role: 'auditor' })).text();
    const { thumbprint } = await scene.api<{ thumbprint: string }>(
      'GET',
      '/api/evidence/key',
      undefined,
      'auditor',
    );
    const file = join(scene.home, 'plan.jws');
    const verify = (text: string, ...more: string[]) => {
      writeFileSync(file, text);
      const r = spawnSync(process.execPath, ['dist/app/gl.mjs', 'evidence', 'verify', file, ...more], {
        encoding: 'utf8',
      });
      return { status: r.status, ...(r.stdout ? (JSON.parse(r.stdout) as object) : {}) };
    };
    // anybody can sign with a key of their own: without a name for the key nothing is proven
    expect(verify(jws)).toMatchObject({ status: 1, holds: true, key: 'unknown' });
    expect(verify(jws, '--thumbprint', thumbprint)).toMatchObject({
      status: 0,
      holds: true,
      changes: changes.length,
      signedBy: thumbprint,
    });
    expect(verify(jws, '--thumbprint', 'another')).toMatchObject({ status: 1, holds: false });
    const [head, body, signature] = jws.split('.') as [string, string, string];
    const text = Buffer.from(body, 'base64url').toString().replace('as agreed', 'as wished');
    expect(verify([head, Buffer.from(text).toString('base64url'), signature].join('.'))).toMatchObject({
      status: 1,
      holds: false,
    });
    expect(verify('not evidence')).toMatchObject({ status: 1, holds: false });
    // no raw value is in it: only rows of access
    expect(Buffer.from(body, 'base64url').toString()).not.toMatch(/\d{4}[ -]\d{4}[ -]\d{4}[ -]\d{4}/);
  });

  it('is undone in part, leaving alone what was changed meanwhile and showing both versions, and then whole', async () => {
    const { list } = await plan(id);
    const narrowed = list.find(
      (c) => c.change.kind === 'grant' && c.change.set && 'expiresAt' in c.change.set,
    )!;
    const row = await scene.truth<Truth>('grants', narrowed.change.id);
    await scene.setTruth('grants', { ...row, role: 'editor' });
    await scene.undo(id, [narrowed.id, list.find((c) => c.change.kind === 'member')!.id]);
    const part = await ended(id);
    expect(part.state).toBe('applied');
    expect(part.list.find((c) => c.id === narrowed.id)).toMatchObject({
      state: 'undo-unexpected',
      differences: [{ field: 'role', expected: 'commenter', found: 'editor' }],
    });
    expect(part.list.find((c) => c.change.kind === 'member')!.state).toBe('undone');
    expect((await everything()).groups).toEqual(before.groups);

    await scene.setTruth('grants', before.grants![narrowed.change.id]!);
    await scene.undo(id);
    const undone = await ended(id);
    expect(undone.state).toBe('undone');
    expect(undone.list.filter((c) => c.state !== 'undone').map((c) => c.id)).toEqual([narrowed.id]);
    expect(await everything()).toEqual(before);
    expect(await scene.survey()).toMatchObject({ added: 1, removed: 1 });
  });
});

describe('the tray', () => {
  it('puts changes to one thing together, says which cannot both be had, and keeps the order it is given', async () => {
    const w = await world();
    const [a, b] = w.grants.filter((g) => w.at(g) === 'drives' && g.role === 'editor') as [Truth, Truth];
    const on = (row: Truth, set?: object) =>
      ({ kind: 'grant', source: 'drives', id: row.id, ...(set && { set }) }) as PlannedChange;
    await pickUp([on(a, { role: 'reader' }), on(b)]);
    await pickUp([on(a, { expiresAt: '2027-01-01T00:00:00Z' })]);
    const first = await scene.api<TrayState>('GET', '/api/tray');
    expect(first.conflicts).toEqual([]);
    expect(first.preview!.changes).toHaveLength(2);
    await pickUp([on(a)]);
    const clash = await scene.api<TrayState>('GET', '/api/tray');
    expect(clash.conflicts).toHaveLength(2);
    const no = await scene.raw('POST', '/api/plans', { role: 'steward', body: { name: 'x' } });
    expect(((await no.json()) as { type: string }).type).toMatch(/tray-conflict$/);
    await scene.api('DELETE', '/api/tray', { seqs: [clash.list[3]!.seq] });
    const order = clash.list
      .slice(0, 3)
      .map((t) => t.seq)
      .reverse();
    await scene.api('PUT', '/api/tray', { order });
    const { list } = await scene.api<TrayState>('GET', '/api/tray');
    expect(list.map((t) => t.seq)).toEqual(order);
    const id = (await scene.api<{ id: number }>('POST', '/api/plans', { name: 'Two', reason: '' })).id;
    expect((await plan(id)).list.map((c) => [c.change.id, c.change.set])).toEqual([
      [a.id, { role: 'reader', expiresAt: '2027-01-01T00:00:00Z' }],
      [b.id, undefined],
    ]);
    await act(id, 'discard');
  });

  it('refuses what a workspace cannot do, and names the nearest thing that it can', async () => {
    const w = await world();
    const tries: [PlannedChange, RegExp][] = [
      [
        { kind: 'item', source: 'drives', id: w.of(w.items, 'drives', files).id, set: { inherits: false } },
        /Nearest: .*quarantine/,
      ],
      [
        {
          kind: 'grant',
          source: 'sites',
          id: w.of(w.grants, 'sites').id,
          set: { expiresAt: '2027-01-01T00:00:00Z' },
        },
        /Nearest: .*guest/,
      ],
      [
        {
          kind: 'space',
          source: 'channels',
          id: w.of(w.spaces, 'channels').id,
          set: { externalSharing: 'off' },
        },
        /Nearest: /,
      ],
      [
        {
          kind: 'person',
          source: 'directory',
          id: w.users.find((u) => !isGuest(u))!.id,
          set: { active: false },
        },
        /Nearest: /,
      ],
    ];
    for (const [change, words] of tries) {
      const answer = await scene.raw('POST', '/api/tray', { role: 'steward', body: { changes: [change] } });
      expect(answer.status).toBe(409);
      expect(((await answer.json()) as { detail: string }).detail).toMatch(words);
    }
    expect((await scene.api<TrayState>('GET', '/api/tray')).list).toEqual([]);
  });
});

describe('what came of it', () => {
  const anyoneLinks = async () => {
    const w = await world();
    return w.links.filter(
      (l) => w.at(l) === 'drives' && l.audience === 'anyone' && 'item' in (l.on as object),
    );
  };

  it('goals are proven on fresh data, and what is brought back is found again with who did it', async () => {
    const w = await world();
    const item = w.items.find((i) => i.name === 'Evidence for the bank')!.id;
    const link = (await anyoneLinks()).find((l) => (l.on as { item: string }).item === item);
    const below = w.items.filter((i) => i.id === item || i.parent === item);
    const goal = {
      keepOut: { anybody: true },
      items: below.map((i) => ({ source: 'drives', item: i.id })),
      words: 'No link for anyone opens them',
    };
    const id = await made([{ kind: 'link', source: 'drives', id: link!.id }], goal);
    const applied = await carriedOut(id);
    expect(applied.proof!.goals).toMatchObject([{ words: goal.words, holds: true, open: 0 }]);
    expect(applied.proof!.pointsAfter).toBeLessThan(applied.proof!.pointsBefore);

    // somebody makes a new link of the same kind on the same thing
    const maker = w.users[7]!;
    await scene.setTruth('links', {
      ...link,
      id: 'made-anew',
      createdBy: maker.id,
      createdAt: new Date().toISOString(),
      redeemedBy: [],
    });
    await scene.survey('incremental');
    const drifted = await plan(id);
    expect(drifted.unmet).toBe(1);
    expect(drifted.events.at(-1)).toMatchObject({ what: 'goal-broken', who: 'survey' });
    expect(drifted.list[0]!.drift).toMatchObject({ by: maker.displayName });
    expect(drifted.drifted).toBe(1);
    expect(drifted.proof!.goals[0]).toMatchObject({ holds: false });
    // the finding that was fixed is open again, and says who brought it back
    const { rows } = await scene.api<{ rows: { id: number; state: string }[] }>(
      'GET',
      '/api/findings?state=all&text=Dispute+evidence+1',
    );
    expect(rows[0]!.state).toBe('reopened');
    const { history } = await scene.api<{ history: { what: string; detail: { by?: string } }[] }>(
      'GET',
      `/api/findings/${rows[0]!.id}`,
    );
    expect(history.find((h) => h.what === 'reopened')!.detail.by).toBe(maker.displayName);
    await scene.removeTruth('links', 'made-anew');
    await scene.undo(id);
    await ended(id);
    await scene.survey();
  });

  it('what somebody brought back stays as they made it, when the rest of the plan is undone', async () => {
    const w = await world();
    const [a, b] = w.grants.filter((g) => w.at(g) === 'drives' && g.role === 'editor') as [Truth, Truth];
    const id = await made([a, b].map((g): PlannedChange => ({ kind: 'grant', source: 'drives', id: g.id })));
    await carriedOut(id);
    await scene.setTruth('grants', a);
    await scene.survey('incremental');
    const { list } = await plan(id);
    expect(list.map((c) => c.drift !== null)).toEqual([true, false]);
    await scene.undo(id, [list[1]!.id]);
    await ended(id);
    expect(await scene.truth('grants', b.id)).toEqual(b);
    // what is known is still what is there
    expect(await scene.survey('incremental')).toMatchObject({ state: 'done', altered: 0, removed: 0 });
    const here = await scene.api<{ changes: object[] }>('POST', '/api/holdings/what-if', {
      changes: [{ kind: 'grant', source: 'drives', id: a.id }],
    });
    expect(here.changes).toHaveLength(1);
  });

  it('a plan told to go on while one workspace is still at its change goes on in the others too', async () => {
    const w = await world();
    const of = (source: string, n: number) =>
      w.grants
        .filter((g) => w.at(g) === source && g.role === 'editor')
        .slice(0, n)
        .map((g): PlannedChange => ({ kind: 'grant', source, id: g.id, set: { role: 'reader' } }));
    const id = await made([...of('drives', 1), ...of('sites', 5)]);
    await scene.faults([
      { kind: 'latency', amount: 1500, path: '/drives' },
      { kind: 'latency', amount: 60, path: '/sites' },
    ]);
    await scene.approved(id);
    await act(id, 'apply');
    await reaches(
      id,
      (p) => p.list.some((c) => c.change.source === 'sites' && c.state === 'verified'),
      'to begin',
    );
    await act(id, 'pause');
    // the quick workspace has stopped, and the slow one is still at its change
    await reaches(
      id,
      (p) =>
        p.halt === 'paused' && p.list.every((c) => c.change.source !== 'sites' || !UNKNOWN.includes(c.state)),
      'to stop in the quick workspace',
    );
    expect((await plan(id)).list[0]!.state).not.toBe('verified');
    await act(id, 'goOn');
    const { list } = await ended(id);
    expect(list.map((c) => c.state)).toEqual(list.map(() => 'verified'));
    await scene.faults([]);
    await scene.undo(id);
    await ended(id);
  });

  it('what widens is called so, and waits for a second steward whatever the limits; so does undoing what closed', async () => {
    const w = await world();
    const link = w.links.find((l) => w.at(l) === 'drives' && l.audience === 'named')!;
    const id = await made([
      { kind: 'link', source: 'drives', id: link.id, set: { audience: 'anyone', role: 'editor' } },
    ]);
    const draft = await plan(id);
    expect(draft.list[0]!.words).toMatch(/^Widen /);
    expect(draft.preview.gains.tier).toBe('public');
    expect(draft.approval!.wants[0]).toMatch(/^it widens access: .*“public”$/);
    expect((await refused(id, 'apply')).type).toMatch(/needs-approval$/);
    // limits that would let it through are a proposal, and do not help a plan that is there already
    const { limits } = await scene.api<{ limits: object }>('GET', '/api/approval');
    const loose = { people: 1_000_000, spaces: 1_000_000, weight: 5, suspension: false };
    expect(await scene.api('PUT', '/api/approval', loose)).toEqual({ proposed: true });
    const state = await scene.api<{ limits: object; proposed: { at: string } }>('GET', '/api/approval');
    expect(state.limits).toEqual(limits);
    const decide = (role: 'steward' | 'deputy') =>
      scene.raw('POST', '/api/approval', { role, body: { approved: true, at: state.proposed.at } });
    expect((await decide('steward')).status).toBe(403);
    expect((await decide('deputy')).status).toBe(200);
    const watched = await scene.api<{ waiting: { kind: string }[] }>('GET', '/api/watch');
    expect(watched.waiting.map((x) => x.kind)).toContain('limits-lowered');
    await act(id, 'renew');
    expect((await refused(id, 'apply')).type).toMatch(/needs-approval$/);
    await scene.api('PUT', '/api/approval', limits);
    await act(id, 'discard');

    const closing = await made([{ kind: 'link', source: 'drives', id: link.id }]);
    await carriedOut(closing);
    expect((await refused(closing, 'undo')).type).toMatch(/needs-approval$/);
    await act(closing, 'askUndo');
    const decideUndo = (role: 'steward' | 'deputy', approved: boolean) =>
      scene.raw('POST', `/api/plans/${closing}`, { role, body: { act: 'decideUndo', approved } });
    expect((await decideUndo('steward', true)).status).toBe(403);
    expect((await decideUndo('deputy', false)).status).toBe(200);
    expect(await plan(closing)).toMatchObject({ state: 'applied', undo: null });
    expect((await decideUndo('deputy', true)).status).toBe(409);
    await scene.undo(closing);
    expect((await ended(closing)).state).toBe('undone');
    expect(await scene.truth('links', link.id)).toEqual(link);
  });

  it('a plan is paused, goes on, is ended early, and what was left is tried again', async () => {
    const w = await world();
    const grants = w.grants.filter((g) => w.at(g) === 'drives' && 'user' in (g.to as object)).slice(0, 12);
    const id = await made(grants.map((g): PlannedChange => ({ kind: 'grant', source: 'drives', id: g.id })));
    await scene.faults([{ kind: 'latency', amount: 120, path: '/drives' }]);
    await scene.approved(id);
    await act(id, 'apply');
    await reaches(id, (p) => p.verified > 1, 'to begin');
    await act(id, 'pause');
    // the change that it is at is finished first
    const paused = await reaches(
      id,
      (p) => p.halt === 'paused' && p.list.every((c) => !UNKNOWN.includes(c.state)),
      'to stop',
    );
    // a pause outlives the application
    await scene.kill();
    await scene.startApp();
    const after = await plan(id);
    expect(after).toMatchObject({ halt: 'paused', state: 'applying' });
    // one that was about to be sent when it was paused was sent still
    expect([paused.verified, paused.verified + 1]).toContain(after.verified);
    await act(id, 'goOn');
    await reaches(id, (p) => p.verified > after.verified, 'to go on');
    await act(id, 'cancel');
    const stopped = await ended(id);
    const left = stopped.list.filter((c) => c.state === 'left');
    expect(left.length).toBeGreaterThan(0);
    expect(stopped.verified + left.length).toBe(12);
    for (const c of left) expect(await scene.truth('grants', c.change.id)).not.toBeNull();
    await scene.faults([]);
    await act(id, 'retry');
    expect((await ended(id)).verified).toBe(12);
    await scene.undo(id);
    expect((await ended(id)).state).toBe('undone');
    for (const g of grants) expect(await scene.truth('grants', g.id)).toEqual(g);
  });

  it('is applied when its time has come, unless the workspaces have changed so that something differs', async () => {
    const [one, two] = await anyoneLinks();
    const soon = (seconds: number) => new Date(Date.now() + seconds * 1000).toISOString();
    const id = await made([{ kind: 'link', source: 'drives', id: one!.id }]);
    expect((await refused(id, 'schedule', { at: '2020-01-01T00:00:00Z' })).status).toBe(400);
    await act(id, 'schedule', { at: soon(2) });
    // a newer survey that sees the same does not stand in its way
    const began = Date.now();
    await scene.survey();
    const surveyed = (Date.now() - began) / 1000;
    expect((await reaches(id, (p) => p.state === 'applied', 'to be applied')).list[0]!.state).toBe(
      'verified',
    );
    await scene.undo(id);
    await ended(id);

    const other = await made([{ kind: 'link', source: 'drives', id: two!.id }]);
    // its time comes after the survey below, however slow the machine
    await act(other, 'schedule', { at: soon(2 + 3 * surveyed) });
    await scene.removeTruth('links', two!.id);
    await scene.survey();
    expect((await plan(other)).moved).not.toEqual([]);
    const back = await reaches(
      other,
      (p) => p.state === 'draft',
      'to come back as a draft',
      60 + 3 * surveyed,
    );
    expect(back.note).toMatch(/have changed/);
    await scene.setTruth('links', two!);
    await scene.survey();
    await act(other, 'discard');
  }, 240_000);

  it('lists plans by a condition', async () => {
    const { rows } = await scene.api<{ rows: PlanRow[] }>(
      'GET',
      `/api/plans?where=${encodeURIComponent('state == "undone" && size > 10')}`,
    );
    expect(rows.length).toBeGreaterThan(0);
    expect(rows.every((r) => r.state === 'undone' && r.changes > 10)).toBe(true);
    expect((await scene.raw('GET', '/api/plans?where=state%20%3D', { role: 'steward' })).status).toBe(422);
  });
});
