/** Groups whose members follow from attributes: Common Expression Language over SCIM users. */
import { Environment, parse, serialize, type ASTNode } from '@marcbachmann/cel-js';
import { costOf, patternOf } from '../core/filter/cost.ts';
import type { GroupRow } from '../core/model.ts';

/** Rules longer than this are not read. */
const LONGEST_RULE = 4000;
/** Steps, some 50 to 200 ns each, that one rule may take over all users. */
const MOST_STEPS = 20_000_000;
const environment = new Environment({ unlistedVariablesAreDyn: true });
/** Steps that patterns may still take. */
let left = 0;
// in linear time, as the language asks for (RE2), whatever the pattern
environment.registerFunction('string.fitsPattern(string): bool', (text: string, pattern: string) => {
  // each user may bring a pattern of their own: making them ready is work too
  const { re, steps } = patternOf(pattern, (size) => (left -= size * MAKING));
  if ((left -= steps * text.length + 1) < 0) throw new Error(TOO_LONG);
  return re.matcher(text).find();
});
const TOO_LONG = 'it would take too long';
/** Steps that making a pattern ready takes, for each instruction of it. */
const MAKING = 50;

/**
 * The ids of the users a rule holds for; the rule sees each SCIM resource as `user`. A user who lacks
 * an attribute the rule asks for is not a member. Throws where the rule cannot be read, or where its lists and
 * patterns would take too long over these users.
 */
export function membersByRule(rule: string, users: readonly { id: string }[]): string[] {
  if (rule.length > LONGEST_RULE) throw new Error(`it has more than ${LONGEST_RULE} characters`);
  const { ast } = parse(rule);
  const { steps } = costOf(ast, longest(ast, users));
  if (steps * users.length > MOST_STEPS) throw new Error(TOO_LONG);
  left = MOST_STEPS;
  const holds = environment.parse(serialize(withOwnPatterns(ast)));
  const found = users.filter((user) => {
    try {
      return holds({ user }) === true;
    } catch {
      return false;
    }
  });
  if (left < 0) throw new Error(TOO_LONG);
  return found.map((u) => u.id);
}

/** The rule with its patterns read by the linear engine. */
function withOwnPatterns(ast: ASTNode): ASTNode {
  for (const node of nodesOf(ast))
    if (node.op === 'rcall' && node.args[0] === 'matches') (node.args as unknown[])[0] = 'fitsPattern';
  return ast;
}

function* nodesOf(part: unknown): Generator<ASTNode> {
  if (Array.isArray(part)) for (const p of part) yield* nodesOf(p);
  else if (part instanceof Object && 'op' in part) {
    yield part as ASTNode;
    yield* nodesOf((part as ASTNode).args);
  }
}

/** The most entries of a list, and characters of a text, of users and of what is written in a rule. */
function longest(ast: ASTNode, users: readonly object[]): { list: number; text: number } {
  const most = { list: 0, text: 0 };
  for (const node of nodesOf(ast)) if (node.op === 'list' || node.op === 'map') most.list += node.args.length;
  const parts: unknown[] = [...users];
  for (let part; parts.length > 0;)
    if (typeof (part = parts.pop()) === 'string') most.text = Math.max(most.text, part.length);
    else if (part instanceof Object) {
      const inner = Object.values(part);
      most.list = Math.max(most.list, inner.length);
      for (const p of inner) parts.push(p);
    }
  return most;
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
