/** What a condition costs, as estimated before it runs: a bound on the steps that one row can take. */
import type { ASTNode } from '@marcbachmann/cel-js';
import { RE2JS } from 're2js';

/** Characters that a text operation goes through in the time of a step. */
const AT_ONCE = 64;

/** What a condition costs on a usual row: steps; how many entries a list has that it gives, and characters a text. */
interface Cost extends Usual {
  steps: number;
}

/** What is assumed of what comes with a row: entries in a list, characters of a text. */
export interface Usual {
  list: number;
  text: number;
}

/** An upper bound for rows in which no list or text is longer than assumed. */
export function costOf(node: ASTNode, usual: Usual): Cost {
  const plain = (steps: number): Cost => ({ steps, ...usual });
  const all = (nodes: readonly ASTNode[]): Cost[] => nodes.map((n) => costOf(n, usual));
  const sum = (costs: readonly Cost[]): number => costs.reduce((n, c) => n + c.steps, 1);
  switch (node.op) {
    case 'value':
      return { steps: 1, list: 0, text: typeof node.args === 'string' ? node.args.length : 0 };
    case 'id':
      return plain(1);
    case '!_':
    case '-_':
      return plain(1 + costOf(node.args, usual).steps);
    case '?:': {
      const [test, ...either] = all(node.args);
      const most = (of: 'list' | 'text'): number => Math.max(...either.map((c) => c[of]));
      return { steps: sum([test!, ...either]), list: most('list'), text: most('text') };
    }
    case 'list': {
      const entries = all(node.args);
      return {
        steps: sum(entries),
        list: entries.length,
        text: Math.max(0, ...entries.map((c) => c.text)),
      };
    }
    case 'call': {
      const args = all(node.args[1]);
      return plain(sum(args) + (args[0]?.text ?? 0) / AT_ONCE);
    }
    case 'rcall': {
      const [name, target, args] = node.args;
      const of = costOf(target, usual);
      if (args.length === 2) {
        const body = costOf(args[1]!, usual);
        return { ...plain(1 + of.steps + of.list * (1 + body.steps)), list: Math.max(of.list, usual.list) };
      }
      const given = all(args);
      const through = (of.text + (given[0]?.text ?? 0)) / AT_ONCE;
      const pattern = args[0]?.op === 'value' && name === 'matches' ? String(args[0].args) : undefined;
      return {
        steps: sum([of, ...given]) + (pattern === undefined ? through : patternSteps(pattern) * of.text),
        list: of.list,
        text: of.text,
      };
    }
    case '.':
    case '[]': {
      const [of, key] = node.args;
      return plain(1 + costOf(of, usual).steps + (typeof key === 'string' ? 0 : costOf(key, usual).steps));
    }
    case 'map':
      return plain(sum(all(node.args.flat())));
    default: {
      const [a, b] = all(node.args as ASTNode[]) as [Cost, Cost | undefined];
      const joined = node.op === '+' && b ? { list: a.list + b.list, text: a.text + b.text } : undefined;
      const through = b ? (Math.min(a.text, b.text) + (joined?.text ?? 0)) / AT_ONCE : 0;
      const looked = node.op === 'in' || joined ? (b?.list ?? 0) : 0;
      return { steps: sum(b ? [a, b] : [a]) + through + looked, ...(joined ?? usual) };
    }
  }
}

/** A pattern made ready, and its steps for each character of a text. */
interface Pattern {
  re: RE2JS;
  steps: number;
}
const KEPT_PATTERNS = 100;
const patterns = new Map<string, Pattern>();

/** Reads a pattern; throws where it cannot be read. `made`: told its size where it was not known yet, which takes its time. */
export function patternOf(text: string, made?: (size: number) => void): Pattern {
  const known = patterns.get(text);
  if (known) return known;
  const re = RE2JS.compile(text);
  const size = re.programSize();
  made?.(size);
  if (patterns.size >= KEPT_PATTERNS) patterns.clear();
  const pattern = { re, steps: size / 4 };
  patterns.set(text, pattern);
  return pattern;
}

/** The steps of a pattern; 1 for one that cannot be read, which is refused elsewhere. */
function patternSteps(text: string): number {
  try {
    return patternOf(text).steps;
  } catch {
    return 1;
  }
}
