import { describe, expect, it } from 'vitest';
import { eachName } from '../src/core/access/names.ts';
import { reach } from '../src/core/access/reach.ts';
import { view } from '../src/core/access/view.ts';
import { findExposures } from '../src/core/exposure/find.ts';
import { weigh } from '../src/core/exposure/exposure.ts';
import { TIERS } from '../src/core/model.ts';
import { Scanner } from '../src/core/recognise/scan.ts';
import { DATA_TYPES } from '../src/core/recognise/types/index.ts';
import { demoRows } from '../tests/demo-rows.ts';
import { build } from '../tests/reference/build.ts';
import { makeWorld } from './world.ts';

const world = makeWorld();

describe('the demo’s world', () => {
  it('is the same on every run, and as large as told', () => {
    expect(makeWorld()).toEqual(world);
    const active = world.users.filter((u) => u.active !== false);
    expect(active.filter((u) => !String(u.userName).endsWith('@tarntide.example')).length).toBe(28);
    expect(active.filter((u) => String(u.userName).endsWith('@tarntide.example')).length).toBe(420);
    expect(world.groups.length).toBe(60);
    expect(world.spaces.filter((s) => s.kind === 'shared-drive').length).toBe(40);
    expect(world.items.length).toBeGreaterThanOrEqual(6000);
    expect(world.content.length).toBeGreaterThanOrEqual(1500);
  });

  it('uses reserved domains only (RFC 2606, RFC 6761)', () => {
    for (const [, domain] of JSON.stringify(world).matchAll(/[\w.]@([\w.-]+)/g))
      expect(domain).toMatch(/\.(example|test|invalid)$/);
  });

  it('holds the planted flaws and no other of their kind', () => {
    const org = build(demoRows(world));
    expect(org.problems).toEqual([]);
    const bodies = new Map(world.content.map((c) => [c.item, c.text]));
    const rows = new Map(world.items.map((i) => [i.id, i]));
    const weights = Uint8Array.from(eachName(org.itemIds), (id) => {
      const item = rows.get(id)!;
      const scanner = new Scanner({ types: DATA_TYPES, hash: (type, value) => type + value });
      scanner.fileName(item.name);
      scanner.begin('body');
      scanner.feed(bodies.get(item.id) ?? '');
      const found = scanner.finish().map((f) => ({ ...f, ...DATA_TYPES.find((t) => t.id === f.dataType)! }));
      return weigh(found, item.label).weight;
    });
    const v = view(org);
    const exposures = findExposures(v, reach(v), weights);
    const told = exposures
      .map((e) => ({
        item: org.itemIds.at(e.item),
        weight: e.weight,
        now: TIERS[e.now],
        could: TIERS[e.could],
      }))
      .sort((a, b) => (a.item < b.item ? -1 : 1));
    const planted = world.flaws
      .flatMap((f) =>
        f.items.map((item) => ({
          item,
          weight: f.expected.weight,
          now: f.expected.now,
          could: f.expected.could,
        })),
      )
      .sort((a, b) => (a.item < b.item ? -1 : 1));
    expect(told).toEqual(planted);
  });
});
