/** Causes of exposure, in words. */
import { setImmediate } from 'node:timers/promises';
import { countBoth, has } from '../core/access/bits.ts';
import { nodeOfItem, PRINCIPAL, spaceOfNode } from '../core/access/organisation.ts';
import { causesOf, type Cause } from '../core/exposure/causes.ts';
import { rowTest, type Getters } from '../core/filter/filter.ts';
import type { CauseRow, CausesPage } from '../dto/exposure.ts';
import type { EntryRef } from '../dto/access.ts';
import { entryRef, nodeName, nodeRef, personRef, whereWords } from './describe.ts';
import type { Loaded } from './loaded.ts';
import { askedOf } from './planned.ts';

const FILES = 40;
const PEOPLE = 30;
/** Milliseconds of work at a stretch: what else is asked meanwhile is answered in between. */
const STRETCH = 60;

interface Begun {
  parts: ReturnType<typeof causesOf>;
  page?: CausesPage;
}
const begun = new WeakMap<Loaded, Begun>();

/**
 * Every cause that closes something by itself, the one first that closes most. Worked out once for a
 * survey, in parts.
 */
export async function causes(l: Loaded): Promise<CausesPage> {
  for (;;) {
    const page = workOn(l);
    if (page) return page;
    await setImmediate();
  }
}

/** The same worked out ahead: left off wherever nobody goes on with it. */
export function* causesAhead(l: Loaded): Generator<void> {
  while (!workOn(l)) yield;
}

/** Works for a stretch. Undefined where there is more to do. */
function workOn(l: Loaded): CausesPage | undefined {
  let work = begun.get(l);
  if (!work) begun.set(l, (work = { parts: causesOf(l.view, l.columns, l.weights, l.exposures) }));
  const until = performance.now() + STRETCH;
  try {
    while (!work.page && performance.now() < until) {
      const part = work.parts.next();
      if (part.done) work.page = pageOf(l, part.value);
    }
  } catch (e) {
    begun.delete(l);
    throw e;
  }
  return work.page;
}

const pageOf = (l: Loaded, found: readonly Cause[]): CausesPage => ({
  rows: found.map((c) => row(l, c)),
  points: l.exposures.reduce((n, e) => n + e.points, 0),
  findings: l.exposures.length,
  survey: l.survey,
  takenAt: l.takenAt,
});

function row(l: Loaded, c: Cause): CauseRow {
  const entry = c.entry === undefined ? undefined : entryRef(l, c.entry);
  const words = causeWords(l, c, entry);
  const node = c.entry === undefined ? c.space : l.org.entries.node[c.entry];
  return {
    key: JSON.stringify(c.change),
    ...askedOf(l, c.change),
    kind: c.kind,
    words,
    ...(entry && { entry }),
    ...(node !== undefined && node >= 0 && { node: nodeRef(l, node) }),
    points: c.points,
    findings: c.findings,
    together: c.together,
    members: c.members.length,
    external: c.external.length,
    people: [...c.members, ...c.external].slice(0, PEOPLE).map((i) => personRef(l, i)),
    files: [...c.closes]
      .sort((a, b) => b[1] - a[1])
      .slice(0, FILES)
      .map(([item, points]) => {
        const n = nodeOfItem(l.org, item);
        return { node: nodeRef(l, n), path: whereWords(l, n), points, weight: l.weights[item]! };
      }),
    filesMore: Math.max(0, c.closes.size - FILES),
  };
}

/** A cause in plain words: what it is, for whom, where, and who made it. */
function causeWords(l: Loaded, c: Cause, entry: EntryRef | undefined): string {
  if (c.kind === 'visibility')
    return `The space “${nodeName(l, c.space!)}” is visible to the whole organisation`;
  if (c.kind === 'membership')
    return `${personRef(l, c.identity!).address} is in the group “${l.org.groups[c.group!]!.name}”`;
  const e = c.entry!;
  const { entries, itemBreaks, spaces } = l.org;
  const by = entry!.madeBy ? `, made by ${entry!.madeBy}` : '';
  const on = `on ${entry!.on.kind} “${entry!.on.name}” (${entry!.role})`;
  if (c.kind === 'link') {
    const space = spaces[spaceOfNode(l.org, entries.node[e]!)]!;
    const usual =
      entry!.audience !== 'named' && space.defaultAudience === entry!.audience
        ? `, as new links in “${space.name}” are`
        : '';
    return `A link for ${entry!.audience === 'named' ? entry!.to : entry!.audience} ${on}${by}${usual}`;
  }
  const [kind, n] = [
    entries.toKind.values[entries.toKind.start[e]!],
    entries.toNumber.values[entries.toKind.start[e]!]!,
  ];
  const item = entries.node[e]! - spaces.length;
  const kept = item >= 0 && itemBreaks[item] ? ', kept where inheritance is broken' : '';
  if (kind === PRINCIPAL.group) {
    const members = countBoth(l.view.groupMembers[n]!, l.view.members);
    return `${members > l.view.settings.wideAbove ? 'The wide group' : 'The group'} “${l.org.groups[n]!.name}” (${members} members) is granted ${on}${by}${kept}`;
  }
  const identity =
    kind === PRINCIPAL.user ? n : kind === PRINCIPAL.address ? l.view.identityOfAddress[n]! : -1;
  if (identity >= 0 && has(l.view.externals, identity)) {
    const { kind: who, address } = personRef(l, identity);
    return `The ${who} ${address} is granted ${on}${by}${kept}`;
  }
  return `${capital(entry!.to)} is granted ${on}${by}${kept}`;
}

const FIELDS: Getters<CauseRow, 'causes'> = {
  text: (r) => `${r.words} ${r.entry?.madeBy ?? ''}`.toLowerCase(),
  words: (r) => r.words,
  kind: (r) => r.kind,
  points: (r) => r.points,
  findings: (r) => r.findings,
  members: (r) => r.members,
  external: (r) => r.external,
  madeBy: (r) => r.entry?.madeBy ?? '',
};

/** The causes that fit; what they close together stays as it is for all. */
export async function causesWhere(
  l: Loaded,
  q: { text?: string | undefined; where?: string | undefined },
): Promise<CausesPage> {
  const page = await causes(l);
  const test = rowTest(q, 'causes', FIELDS, Date.parse(l.takenAt));
  return { ...page, rows: page.rows.filter(test) };
}

const capital = (text: string): string => text.charAt(0).toUpperCase() + text.slice(1);
