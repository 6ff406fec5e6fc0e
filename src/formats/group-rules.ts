/** Groups whose members follow from attributes: Common Expression Language over SCIM users. */
import { parse } from '@marcbachmann/cel-js';

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
