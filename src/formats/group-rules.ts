/** Groups whose members follow from attributes: Common Expression Language over SCIM users. */
import { parse } from '@marcbachmann/cel-js';
import type { GroupRow } from '../core/model.ts';

/**
 * The ids of the users a rule holds for; the rule sees each SCIM resource as `user`. A user who lacks
 * an attribute the rule asks for is not a member. Throws where the rule cannot be read.
 */
export function membersByRule(rule: string, users: readonly { id: string }[]): string[] {
  const holds = parse(rule);
  return users
    .filter((user) => {
      try {
        return holds({ user }) === true;
      } catch {
        return false;
      }
    })
    .map((u) => u.id);
}

/** Gathers users and the groups with a rule, and then adds to each group whom its rule holds for. */
export class GroupsByRule {
  private readonly users: { id: string }[] = [];
  private readonly groups: GroupRow[] = [];

  /** `scim`: the user's whole SCIM resource. */
  user(scim: { id: string }): void {
    this.users.push(scim);
  }
  /** Keeps a group that has a rule for later; says whether it did. */
  group(row: GroupRow): boolean {
    if (!row.rule) return false;
    this.groups.push(row);
    return true;
  }
  /** The groups with all their members. A rule that cannot be read has none, and is complained of. */
  *resolve(): Generator<{ group: GroupRow; complaint?: string }> {
    for (const group of this.groups) {
      const named = new Set(group.members.map((m) => m.value));
      try {
        const members = membersByRule(group.rule!, this.users)
          .filter((id) => !named.has(id))
          .map((value) => ({ value, type: 'User' as const }));
        yield { group: { ...group, members: [...group.members, ...members] } };
      } catch (e) {
        const reason = (e as Error).message.split('\n')[0];
        yield {
          group,
          complaint: `its rule cannot be read (${reason}); it has no members by it`,
        };
      }
    }
  }
}
