/** Random small organisations with every feature of access switched on at times. */
import fc from 'fast-check';
import {
  AUDIENCES,
  EXTERNAL_SHARING,
  ROLES,
  type Grantee,
  type GrantRow,
  type LinkRow,
  type NodeRef,
  type Recipient,
} from '../../src/core/model.ts';
import type { Rows } from './plain-access.ts';

const NOW = Date.parse('2026-06-01T12:00:00Z');
const times = fc.constantFrom('2026-01-01T00:00:00Z', '2026-06-01T12:00:00Z', '2026-12-01T00:00:00Z');
const maybe = <T>(a: fc.Arbitrary<T>) => fc.option(a, { nil: undefined, freq: 3 });
const from = (prefix: string, n: number) => fc.integer({ min: 0, max: n - 1 }).map((i) => `${prefix}${i}`);
const clean = <T extends object>(o: T): T => JSON.parse(JSON.stringify(o)) as T;

const ADDRESSES = [
  'a@own.example',
  'x@mail.own.example',
  'b@partner.example',
  'c@sub.partner.example',
  'd@far.test',
  'E@Far.test',
  'u1@own.example',
  'U3@far.test',
  'f@other.test',
];

export const organisations: fc.Arbitrary<Rows> = fc
  .record({
    users: fc.integer({ min: 1, max: 7 }),
    groups: fc.integer({ min: 1, max: 4 }),
    spaces: fc.integer({ min: 1, max: 3 }),
    items: fc.integer({ min: 1, max: 9 }),
  })
  .chain((n) => {
    const user = from('u', n.users);
    const group = from('g', n.groups);
    const recipient: fc.Arbitrary<Recipient> = fc.oneof(
      user.map((u) => ({ user: u })),
      group.map((g) => ({ group: g })),
      fc.constantFrom(...ADDRESSES).map((email) => ({ email })),
    );
    const grantee: fc.Arbitrary<Grantee> = fc.oneof(
      { weight: 6, arbitrary: recipient },
      { weight: 1, arbitrary: fc.constant<Grantee>({ everyone: true }) },
      { weight: 1, arbitrary: fc.constant<Grantee>({ anyone: true }) },
      {
        weight: 2,
        arbitrary: fc
          .constantFrom('own.example', 'Partner.example', 'sub.partner.example', 'far.test')
          .map((d): Grantee => ({ domain: d })),
      },
    );
    const on: fc.Arbitrary<NodeRef> = fc.oneof(
      { weight: 1, arbitrary: from('s', n.spaces).map((space) => ({ space })) },
      { weight: 2, arbitrary: from('i', n.items).map((item) => ({ item })) },
    );
    return fc.record({
      takenAt: fc.constant(NOW),
      own: fc.constant({ name: 'Own', domains: ['own.example'], partnerDomains: ['partner.example'] }),
      workspaces: fc
        .tuple(maybe(fc.constantFrom(...EXTERNAL_SHARING)), maybe(fc.constantFrom(...EXTERNAL_SHARING)))
        .map(([a, b]) => [
          clean({ id: 'w0', name: 'w0', inheritance: 'additive' as const, externalSharing: a }),
          clean({ id: 'w1', name: 'w1', inheritance: 'breakable' as const, externalSharing: b }),
        ]),
      users: fc.tuple(
        ...Array.from({ length: n.users }, (_, i) =>
          fc
            .record({
              active: fc.boolean().map((b) => b || i === 0),
              expiresAt: fc.option(times, { nil: undefined, freq: 6 }),
              kind: fc.constantFrom('member' as const, 'member' as const, 'guest' as const),
              second: maybe(fc.constantFrom('two@own.example', 'two@partner.example')),
              at: fc.constantFrom('own.example', 'partner.example', 'far.test'),
            })
            .map((u) => ({
              id: `u${i}`,
              name: `u${i}`,
              ...(u.expiresAt && { expiresAt: u.expiresAt }),
              active: u.active,
              kind: u.kind,
              addresses: [
                `u${i}@${u.kind === 'guest' ? u.at : 'own.example'}`,
                ...(u.second ? [`${i}${u.second}`] : []),
              ],
            })),
        ),
      ),
      groups: fc.tuple(
        ...Array.from({ length: n.groups }, (_, i) =>
          fc.array(fc.oneof(user, group), { maxLength: 4 }).map((members) => ({
            id: `g${i}`,
            name: `g${i}`,
            members: [...new Set(members)].map((value) => ({ value })),
          })),
        ),
      ),
      spaces: fc.tuple(
        ...Array.from({ length: n.spaces }, (_, i) =>
          fc
            .record({
              workspace: fc.constantFrom('w0', 'w1'),
              visibility: maybe(fc.constantFrom('members' as const, 'organisation' as const)),
              visibilityRole: maybe(fc.constantFrom(...ROLES)),
              externalSharing: maybe(fc.constantFrom(...EXTERNAL_SHARING)),
              editorsShare: maybe(fc.boolean()),
              archived: maybe(fc.boolean()),
              binned: maybe(fc.constantFrom(true, false, false, false)),
              gate: maybe(fc.array(group, { maxLength: 2 })),
            })
            .map((s) => clean({ id: `s${i}`, kind: 'site' as const, name: `s${i}`, ...s })),
        ),
      ),
      items: fc
        .tuple(
          ...Array.from({ length: n.items }, (_, i) =>
            fc
              .record({
                space: fc.nat(n.spaces - 1),
                parent: fc.option(fc.nat(Math.max(0, i - 1)), { nil: undefined }),
                inherits: maybe(fc.boolean()),
                owner: maybe(user),
                held: fc.option(fc.boolean(), { nil: undefined, freq: 8 }),
              })
              .map((x) => ({ ...x, i })),
          ),
        )
        .map((raw) => {
          // an item lies in the space of its parent
          const space: string[] = [];
          return raw.map(({ i, parent, inherits, owner, held, space: s }) => {
            const p = parent !== undefined && parent < i ? parent : undefined;
            space[i] = p === undefined ? `s${s}` : space[p]!;
            return clean({
              id: `i${i}`,
              space: space[i],
              kind: 'folder' as const,
              name: `i${i}`,
              parent: p === undefined ? undefined : `i${p}`,
              inherits,
              owner,
              held,
            });
          });
        }),
      grants: fc
        .array(fc.record({ on, to: grantee, role: fc.constantFrom(...ROLES), expiresAt: maybe(times) }), {
          maxLength: 7,
        })
        .map((list) => list.map((g, i): GrantRow => clean({ id: `gr${i}`, ...g }))),
      links: fc
        .array(
          fc.record({
            on,
            audience: fc.constantFrom(...AUDIENCES),
            role: fc.constantFrom(...ROLES),
            recipients: maybe(fc.array(recipient, { maxLength: 3 })),
            redeemedBy: maybe(
              fc.array(
                fc.oneof(
                  fc.record({ user, at: maybe(times) }),
                  fc.record({ email: fc.constantFrom(...ADDRESSES), at: maybe(times) }),
                ),
                { maxLength: 3 },
              ),
            ),
            expiresAt: maybe(times),
            noCopies: maybe(fc.boolean()),
          }),
          { maxLength: 4 },
        )
        .map((list) => list.map((l, i): LinkRow => clean({ id: `ln${i}`, ...l }))),
    });
  });
