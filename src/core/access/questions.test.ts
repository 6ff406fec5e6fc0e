/** What keeps somebody out, who is named and can do nothing, and what was used. */
import { describe, expect, it } from 'vitest';
import type { GrantRow, LinkRow, PersonRow } from '../model.ts';
import { OrganisationBuilder } from './builder.ts';
import { nodeOfItem } from './organisation.ts';
import { dangling, whyNot } from './questions.ts';
import { resolveDeeds, servesWhat, usageOf, usedSince } from './usage.ts';
import { findIdentity, view } from './view.ts';

const NOW = Date.parse('2026-06-01T00:00:00Z');
const person = (id: string, more: Partial<PersonRow> = {}): PersonRow => ({
  id,
  name: id,
  addresses: [`${id}@own.example`],
  active: true,
  kind: 'member',
  ...more,
});

function world(grants: Omit<GrantRow, 'id'>[], links: Omit<LinkRow, 'id'>[] = [], space: object = {}) {
  const b = new OrganisationBuilder({ name: '', domains: ['own.example'], partnerDomains: [] }, NOW);
  b.workspace({ id: 'w', name: 'w', inheritance: 'breakable' });
  for (const p of [
    person('ann'),
    person('bo'),
    person('left', { active: false }),
    person('guest', { kind: 'guest', addresses: ['g@far.test'] }),
  ])
    b.person(p);
  b.group({ id: 'g', name: 'g', members: [{ value: 'ann' }] });
  b.space({ id: 's', workspace: 'w', kind: 'site', name: 's', ...space });
  b.item({ id: 'folder', space: 's', kind: 'folder', name: 'folder', inherits: false });
  b.item({ id: 'file', space: 's', parent: 'folder', kind: 'file', name: 'file' });
  grants.forEach((g, i) => b.grant({ id: `gr${i}`, ...g }));
  links.forEach((l, i) => b.link({ id: `ln${i}`, ...l }));
  const v = view(b.build());
  return {
    v,
    file: nodeOfItem(v.org, v.org.find('item', 'file')),
    who: (name: string) => findIdentity(v, name),
  };
}
const steps = (w: ReturnType<typeof world>, name: string) =>
  whyNot(w.v, w.who(name), w.file).map((o) => o.by);

describe('why not', () => {
  it('tells of a break, an expiry, a link not followed, and of nothing at all', () => {
    const w = world(
      [
        { on: { space: 's' }, to: { user: 'ann' }, role: 'reader' },
        { on: { item: 'file' }, to: { group: 'g' }, role: 'editor', expiresAt: '2026-05-01T00:00:00Z' },
      ],
      [{ on: { item: 'folder' }, audience: 'organisation', role: 'reader' }],
    );
    expect(steps(w, 'ann')).toEqual(['expired', 'not-followed', 'break']);
    expect(steps(w, 'bo')).toEqual(['not-followed']);
    expect(steps(w, 'guest')).toEqual(['no-route']);
  });

  it('tells of the space’s own rules, in their order', () => {
    const grants = [
      { on: { item: 'file' }, to: { user: 'guest' }, role: 'reader' as const },
      { on: { item: 'file' }, to: { anyone: true as const }, role: 'reader' as const },
    ];
    expect(steps(world(grants, [], { externalSharing: 'off' }), 'guest')).toEqual([
      'inert',
      'external-sharing',
    ]);
    expect(steps(world(grants, [], { gate: ['g'] }), 'guest')).toEqual(['inert', 'gate']);
    expect(steps(world(grants, [], { gate: ['g'] }), 'bo')).toEqual(['inert', 'gate']);
  });
});

describe('grants to nobody', () => {
  it('are those that name who is not active, not listed, or an address of our own that is nobody’s', () => {
    const { v } = world([
      { on: { space: 's' }, to: { user: 'left' }, role: 'reader' },
      { on: { space: 's' }, to: { user: 'never' }, role: 'reader' },
      { on: { space: 's' }, to: { email: 'Gone@mail.own.example' }, role: 'reader' },
      { on: { space: 's' }, to: { email: 'left@OWN.example' }, role: 'reader' },
      { on: { space: 's' }, to: { email: 'new@far.test' }, role: 'reader' },
      { on: { space: 's' }, to: { user: 'left' }, role: 'reader', expiresAt: '2026-01-01T00:00:00Z' },
    ]);
    expect(
      dangling(v)
        .map((d) => [v.org.entries.ids.at(d.entry), d.because])
        .sort(),
    ).toEqual([
      ['gr0', 'inactive'],
      ['gr1', 'unknown'],
      ['gr2', 'own-address'],
      ['gr3', 'inactive'],
    ]);
  });
});

describe('use', () => {
  it('is counted below a folder, by identity, since a moment, and told apart from what is only granted', () => {
    const { v, file, who } = world([{ on: { item: 'file' }, to: { email: 'new@far.test' }, role: 'reader' }]);
    const day = 86_400_000;
    const usage = usageOf(
      v.org,
      resolveDeeds(v, [
        { item: 'file', actor: 'ann', opened: null, edited: NOW - 5 * day },
        { item: 'file', actor: 'G@far.test', opened: NOW - 200 * day, edited: null },
        { item: 'file', actor: 'NEW@far.test', opened: NOW - day, edited: null },
        { item: 'nowhere', actor: 'ann', opened: NOW, edited: null },
        { item: 'file', actor: 'nobody', opened: NOW, edited: null },
      ]),
    );
    for (const node of [file, nodeOfItem(v.org, v.org.find('item', 'folder')), v.org.find('space', 's')]) {
      const used = usedSince(v.org, usage, node, NOW - 90 * day);
      expect([...used.keys()].sort()).toEqual([who('ann'), who('new@far.test')].sort());
    }
    const took = usedSince(v.org, usage, file, NOW - 90 * day).get(who('new@far.test'))!;
    expect(servesWhat(7, took)).toBe(true);
    expect(servesWhat(1, took)).toBe(false);
  });
});
