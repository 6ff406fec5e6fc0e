/** Entries and the rows they were, as they are taken in. */
import fc from 'fast-check';
import { expect, it } from 'vitest';
import { OrganisationBuilder } from '../../src/core/access/builder.ts';
import { organisations } from './organisations.ts';

it('says of each entry which of the rows taken it was; an id used twice is taken once', () => {
  let twice = 0;
  fc.assert(
    fc.property(organisations, fc.array(fc.nat(6), { maxLength: 4 }), (rows, again) => {
      const builder = new OrganisationBuilder(rows.own, rows.takenAt);
      rows.workspaces.forEach((r) => builder.workspace(r));
      rows.spaces.forEach((r) => builder.space(r));
      rows.items.forEach((r) => builder.item(r));
      const taken: string[] = [];
      const repeated = <Row>(list: Row[]): Row[] => [...list, ...again.flatMap((n) => list[n] ?? [])];
      for (const g of repeated(rows.grants)) if (builder.grant(g)) taken.push(`grant ${g.id}`);
      for (const l of repeated(rows.links)) if (builder.link(l)) taken.push(`link ${l.id}`);
      const { entries, problems } = builder.build();
      const named = Array.from(
        entries.row,
        (_, e) => `${entries.type[e] ? 'link' : 'grant'} ${entries.ids.at(e)}`,
      );
      expect(named).toEqual(Array.from(entries.row, (n) => taken[n]));
      expect([...entries.row].sort((a, b) => a - b)).toEqual([...taken.keys()]);
      expect(taken).toHaveLength(rows.grants.length + rows.links.length);
      twice += problems.filter((p) => p.reason.includes('used twice')).length;
    }),
  );
  expect(twice).toBeGreaterThan(50);
});
