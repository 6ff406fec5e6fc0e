import { MultiDirectedGraph } from 'graphology';
import { bfsFromNode } from 'graphology-traversal';
import { describe, expect, it } from 'vitest';
import { dice } from '../../demo/make.ts';
import { has } from '../../src/core/access/bits.ts';
import { OrganisationBuilder } from '../../src/core/access/builder.ts';
import { membershipWays } from '../../src/core/access/questions.ts';
import { closeGroups } from '../../src/core/access/groups.ts';

describe('group closure, against graphology’s traversal', () => {
  it('is everybody who is reachable, through nesting and cycles of any depth', () => {
    for (let seed = 1; seed <= 8; seed++) {
      const d = dice(seed);
      const [people, groups] = [40 + d.int(200), 5 + d.int(60)];
      const graph = new MultiDirectedGraph();
      const builder = new OrganisationBuilder({ name: '', domains: [], partnerDomains: [] }, 0);
      for (let i = 0; i < people; i++) {
        graph.addNode(`u${i}`);
        builder.person({ id: `u${i}`, name: '', addresses: [], active: true, kind: 'member' });
      }
      for (let g = 0; g < groups; g++) graph.addNode(`g${g}`);
      for (let g = 0; g < groups; g++) {
        const members = Array.from({ length: d.int(7) }, () =>
          d.chance(0.5) ? `u${d.int(people)}` : `g${d.int(groups)}`,
        );
        for (const m of members) graph.addEdge(`g${g}`, m);
        builder.group({ id: `g${g}`, name: '', members: members.map((value) => ({ value })) });
      }
      const org = builder.build();
      const closed = closeGroups(org);
      for (let g = 0; g < groups; g++) {
        const reached = new Set<string>();
        bfsFromNode(graph, `g${g}`, (node) => void reached.add(node));
        const number = org.find('group', `g${g}`);
        for (let u = 0; u < people; u++) {
          expect(has(closed[number]!, org.find('user', `u${u}`)), `seed ${seed}, u${u} in g${g}`).toBe(
            reached.has(`u${u}`),
          );
          const ways = membershipWays(
            { org, groupMembers: closed } as never,
            org.find('user', `u${u}`),
            number,
          );
          // a way for whoever is reached; each from a group the person is directly in, ending at the group asked about
          expect(ways.length > 0).toBe(reached.has(`u${u}`));
          for (const w of ways) {
            expect(graph.hasEdge(org.groups[w[0]!]!.id, `u${u}`)).toBe(true);
            expect(w[w.length - 1]).toBe(number);
            w.slice(1).forEach((outer, i) =>
              expect(graph.hasEdge(org.groups[outer]!.id, org.groups[w[i]!]!.id)).toBe(true),
            );
          }
        }
      }
    }
  });
});
