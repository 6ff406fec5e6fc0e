/** What a survey comes to in short, what changed since the one before, and the cheapest fix of single exposures. */
import { has, countBoth } from '../core/access/bits.ts';
import { alter, withdrawal, type Change } from '../core/access/change.ts';
import { nodeOfItem, PRINCIPAL } from '../core/access/organisation.ts';
import { reach, type ReachColumns } from '../core/access/reach.ts';
import { identityName } from '../core/access/view.ts';
import { candidates, type Candidate } from '../core/exposure/causes.ts';
import { findExposures, type ItemExposure } from '../core/exposure/find.ts';
import { outsideAccess } from '../core/remedy/withdraw.ts';
import type { ChangeNews, Fix, SurveySum } from '../dto/exposure.ts';
import { appsOf } from './apps.ts';
import { changes } from './changes.ts';
import { contents } from './contents.ts';
import { crossPage } from './crosstab.ts';
import { changeWords, entryRef, nodeKey, personRef, sentence } from './describe.ts';
import { key } from './keys.ts';
import type { Loaded } from './loaded.ts';
import { effectOf } from './effect.ts';
import { domainsNamed } from './outside.ts';
import { makeable } from './planned.ts';

const NAMED = 6;
/** So many grants and links of one exposure are tried. */
const TRIED = 10;
/** Of so many it is asked whom they take something from. */
const WEIGHED = 4;
const ANYONE = 3;

/** `before`: the survey that it is compared with, where there is one. */
export function sum(l: Loaded, before: Loaded | undefined): SurveySum {
  const { files, scanned, unread } = contents(l, { byWorkspace: false });
  return {
    rows: l.counts.reduce((all, { n }) => all + n, 0),
    points: l.exposures.reduce((n, e) => n + e.points, 0),
    findings: l.exposures.length,
    matrix: crossPage(l, { by: ['weight', 'reach'], measures: ['items', 'files', 'people', 'bytes'] }),
    coverage: {
      files: l.items.isFile.reduce((n, file) => n + file, 0),
      scanned,
      holding: files,
      unread,
      problems: l.org.problems.length,
    },
    ...(before && { since: before.survey, news: news(before, l) }),
  };
}

const most = (numbers: Int32Array): number => numbers.reduce((max, n) => Math.max(max, n), -1);

/** Entries of the newer survey that the older does not have. */
function* fresh(before: Loaded, l: Loaded): Generator<number> {
  const { entries } = l.org;
  // made from the same rows: a row that was there is the same entry
  const was = before.rows === l.rows ? new Uint8Array(most(before.org.entries.row) + 1) : undefined;
  if (was) for (const r of before.org.entries.row) was[r] = 1;
  for (let e = 0; e < entries.ids.length; e++)
    if (
      l.view.live[e] &&
      entries.node[e]! >= 0 &&
      !was?.[entries.row[e]!] &&
      before.org.find(entries.type[e] ? 'link' : 'grant', entries.ids.at(e)) < 0
    )
      yield e;
}

function news(before: Loaded, l: Loaded): ChangeNews[] {
  const { org, view: v } = l;
  const brighter = changes(before, l, {
    change: 'brighter',
    kind: 'item',
    sort: [{ key: 'reach', down: true }],
    limit: NAMED,
    offset: 0,
  });
  const openLinks: number[] = [];
  const wide: number[] = [];
  for (const e of fresh(before, l)) {
    if (org.entries.type[e] === ANYONE) openLinks.push(e);
    if (org.entries.type[e]) continue;
    const at = org.entries.toKind.start[e]!;
    const [kind, number] = [org.entries.toKind.values[at], org.entries.toNumber.values[at]!];
    const set = kind === PRINCIPAL.group ? v.groupMembers[number]! : undefined;
    if (
      kind === PRINCIPAL.everyone ||
      kind === PRINCIPAL.anyone ||
      (set && countBoth(set, v.members) > v.settings.wideAbove)
    )
      wide.push(e);
  }
  const known = new Set<string>();
  before.view.identityDomain.forEach((_, i) => {
    if (has(before.view.externals, i)) known.add(identityName(before.view, i));
  });
  const guests: number[] = [];
  for (let i = 0; i < v.identityCount; i++)
    if (has(v.externals, i) && !known.has(identityName(v, i))) guests.push(i);
  const domains = [...domainsNamed(l).out.keys()].filter((d) => !domainsNamed(before).out.has(d));
  const entryNews = (e: number) => ({
    words: sentence(entryRef(l, e)),
    key: nodeKey(l, org.entries.node[e]!),
  });
  return [
    {
      kind: 'brighter',
      count: brighter.total,
      first: brighter.rows.map((r) => ({ words: r.name, key: r.key })),
    },
    {
      kind: 'domains',
      count: domains.length,
      first: domains.slice(0, NAMED).map((words) => ({ words, key: words })),
    },
    { kind: 'open-links', count: openLinks.length, first: openLinks.slice(0, NAMED).map(entryNews) },
    {
      kind: 'guests',
      count: guests.length,
      first: guests.slice(0, NAMED).map((i) => ({
        words: personRef(l, i).address,
        key: `${i < org.users.length ? 'user' : 'outsider'}:${identityName(v, i)}`,
      })),
    },
    { kind: 'wide', count: wide.length, first: wide.slice(0, NAMED).map(entryNews) },
    appNews(before, l),
  ];
}

/** Apps that were not there before, and those that have come to read more heavy files. */
function appNews(before: Loaded, l: Loaded): ChangeNews {
  const was = appsOf(before).byKey;
  const news = appsOf(l).list.flatMap(({ row }) => {
    const more = row.heavy - (was.get(row.key)?.row.heavy ?? 0);
    if (was.has(row.key) && more <= 0) return [];
    return {
      row,
      words: was.has(row.key) ? `${row.name}: ${more} heavy more` : `${row.name}: new, ${row.heavy} heavy`,
    };
  });
  news.sort((a, b) => b.row.points - a.row.points);
  return {
    kind: 'apps',
    count: news.length,
    first: news.slice(0, NAMED).map(({ row, words }) => ({ words, key: row.key })),
  };
}

const fixes = new WeakMap<Loaded, Map<number, Fix | null>>();

/**
 * The change that closes most of an exposure and is felt least: one alone of what stands behind it, or
 * all that lets in nobody but outsiders, or all of it. Null where none closes anything.
 */
export function cheapestFix(l: Loaded, source: string, item: string): Fix | null {
  const number = l.org.find('item', key(source, item));
  const e = l.exposures.find((x) => x.item === number);
  if (!e) return null;
  let known = fixes.get(l);
  if (!known) fixes.set(l, (known = new Map<number, Fix | null>()));
  let fix = known.get(number);
  if (fix === undefined) known.set(number, (fix = work(l, e)));
  return fix;
}

function work(l: Loaded, e: ItemExposure): Fix | null {
  const { org } = l;
  const { outsideOnly } = outsideAccess(l.view, nodeOfItem(org, e.item));
  const through = e.through.flatMap(({ entry }) => (typeof entry === 'number' ? entry : []));
  // of many the ones that name fewest: each is worked out in full
  const named = (c: Candidate): number =>
    c.entry === undefined
      ? 0
      : org.entries.toKind.start[c.entry + 1]! - org.entries.toKind.start[c.entry]! + largest(l, c.entry);
  const all = candidates(l.view, [e])
    .map((c) => ({ c, names: named(c) }))
    .sort((a, b) => a.names - b.names)
    .map(({ c }) => c);
  const few = [
    ...all.filter((c) => c.entry !== undefined).slice(0, TRIED),
    ...all.filter((c) => c.kind === 'membership').slice(0, 2),
    ...all.filter((c) => c.kind === 'visibility'),
  ];
  const tries: { changes: Change[]; words: string; short: string }[] = few.map((c) => ({
    changes: [c.change],
    words: changeWords(l, c.change),
    short: shortWords(l, c),
  }));
  const several = (entries: readonly number[]): string =>
    `Withdraw ${entries.length} grants and links${entries === outsideOnly ? ' for outsiders' : ''}`;
  for (const entries of [outsideOnly, through])
    if (entries.length > 1)
      tries.push({
        changes: entries.map((x) => withdrawal(org, x)),
        words: several(entries),
        short: several(entries),
      });
  const node = Int32Array.of(nodeOfItem(org, e.item));
  let columns: ReachColumns | undefined;
  const closing = tries.map((t) => {
    const later = alter(l.view, t.changes).view;
    columns = reach(later, node, undefined, undefined, columns);
    const [left] = findExposures(later, columns, l.weights, [e.item]);
    return { ...t, closes: e.points - (left?.points ?? 0) };
  });
  // whom it takes what from is worked out for the few that close most: it looks at all that they touch
  const most = Math.max(...closing.map((t) => t.closes));
  if (!(most > 0)) return null;
  const tried = closing
    .filter((t) => t.closes === most)
    .slice(0, WEIGHED)
    .map(({ changes, words, short, closes }): Fix => {
      const { members, external } = effectOf(l, changes);
      const asked = changes.flatMap((c) => makeable(l, c) ?? []);
      return {
        words,
        short,
        // all of it, or none where one of it cannot be made
        changes: asked.length === changes.length ? asked : [],
        closes,
        members: members.length,
        external: external.length,
      };
    });
  return tried.sort(
    (a, b) => a.members - b.members || a.external - b.external || a.changes.length - b.changes.length,
  )[0]!;
}

/** How many people the largest principal of an entry stands for. */
function largest(l: Loaded, e: number): number {
  const { toKind, toNumber, type } = l.org.entries;
  if (type[e]! > 1) return type[e] === ANYONE ? 0 : 1;
  let most = 0;
  for (let k = toKind.start[e]!; k < toKind.start[e + 1]!; k++) {
    const set = toKind.values[k] === PRINCIPAL.group ? l.view.groupMembers[toNumber.values[k]!]! : undefined;
    most = Math.max(
      most,
      set ? countBoth(set, l.view.members) : toKind.values[k] === PRINCIPAL.everyone ? l.view.memberCount : 1,
    );
  }
  return most;
}

/** A fix in few words, what tells it from others first. */
function shortWords(l: Loaded, c: Candidate): string {
  if (c.entry === undefined) return changeWords(l, c.change).replace('the space ', '');
  const { kind, to, on } = entryRef(l, c.entry);
  const what = kind === 'link' ? `link for ${to}` : to.replace(/^group /, '');
  return `Withdraw ${what}${on.kind === 'file' ? '' : ` from ${on.name}`}`;
}
