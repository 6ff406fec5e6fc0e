/** Outside: every external domain, who shared what with it, by what, and what it comes to. */
import { isHiddenDomain } from '../core/access/addresses.ts';
import { itemsBelow, nodeOfItem, parentNode, PRINCIPAL } from '../core/access/organisation.ts';
import { forEachBoth, has } from '../core/access/bits.ts';
import { GrowInt32, Interner, listsBy, type Lists } from '../core/access/growable.ts';
import { aboutDomain, registrable } from '../core/exposure/domains.ts';
import { judgedWith } from '../core/exposure/partners.ts';
import { rowTest, type Getters } from '../core/filter/filter.ts';
import { coveredBy } from '../core/model.ts';
import { byCode, compareBy, type Sort } from '../core/sorts.ts';
import {
  OUTSIDE_SHOWS,
  type OutsideDossier,
  type OutsidePage,
  type OutsideRow,
  type OutsideShow,
  type PartnerPreview,
  type ShareRow,
} from '../dto/exposure.ts';
import { entryRef, nodeKey, personRef } from './describe.ts';
import { HEAVY } from '../core/exposure/exposure.ts';
import { pointsByItem, type Loaded } from './loaded.ts';

interface Domain {
  row: OutsideRow;
  names: Set<string>;
  number: number;
}

/** External domains by what is registered, and what names somebody of theirs, or all of them. */
interface Named {
  out: Map<string, Domain>;
  list: Domain[];
  ofIdentity: (Domain | undefined)[];
  /** By group: the numbers of the domains of whom it stands for. */
  ofGroup: Int32Array[];
  /** Entries in force that name nothing but one group, by group; all others, by domain. */
  byGroup: Lists;
  direct: Lists;
}
const named = new WeakMap<Loaded, Named>();
const made = new WeakMap<Loaded, Map<string, Domain>>();

export function domainsNamed(l: Loaded): Named {
  const known = named.get(l);
  if (known) return known;
  const { org, view: v } = l;
  const out = new Map<string, Domain>();
  const list: Domain[] = [];
  const at = (name: string): Domain | undefined => {
    if (!name || isHiddenDomain(name) || coveredBy(name, org.own.domains)) return undefined;
    const key = registrable(name);
    let d = out.get(key);
    if (!d) {
      const about = aboutDomain(key, org.own.domains, org.own.partnerDomains);
      const standing = coveredBy(name, org.own.partnerDomains) ? 'partner' : about.standing;
      d = {
        names: new Set(),
        number: list.length,
        row: {
          domain: key,
          standing: standing === 'own' ? 'partner' : standing,
          consumer: about.consumer,
          ...(about.likens && { likens: about.likens }),
          people: 0,
          whole: false,
          shares: 0,
          levels: { space: 0, folder: 0, file: 0 },
          files: 0,
          heavy: 0,
          heaviest: 0,
          points: 0,
          sharers: [],
          lastUsed: null,
          since: null,
        },
      };
      out.set(key, d);
      list.push(d);
    }
    d.names.add(name);
    return d;
  };
  const ofName = v.domainNames.map(at);
  const ofIdentity: (Domain | undefined)[] = [];
  v.identityDomain.forEach((d, i) => {
    if (d < 0 || !has(v.all, i)) return;
    const domain = ofName[d];
    if (domain) domain.row.people++;
    ofIdentity[i] = domain;
  });
  const { entries } = org;
  const whole = org.domains.map(at);
  const ofGroup = v.groupDomains.map((set) => {
    const found = new Set<number>();
    forEachBoth(set, set, (name) => ofName[name] && found.add(ofName[name].number));
    return Int32Array.from(found).sort();
  });
  const [groups, ofOne, domains, ofSome] = [0, 1, 2, 3].map(() => new GrowInt32()) as [
    GrowInt32,
    GrowInt32,
    GrowInt32,
    GrowInt32,
  ];
  const here = new Set<number>();
  const inGroups = new Set<number>();
  for (let e = 0; e < entries.ids.length; e++) {
    if (!v.live[e]) continue;
    here.clear();
    inGroups.clear();
    for (const [kinds, numbers] of [
      [entries.toKind, entries.toNumber],
      [entries.redeemedKind, entries.redeemedNumber],
    ] as const)
      for (let i = kinds.start[e]!; i < kinds.start[e + 1]!; i++) {
        const [kind, n] = [kinds.values[i]!, numbers.values[i]!];
        if (kind === PRINCIPAL.group) {
          inGroups.add(n);
          continue;
        }
        const identity =
          kind === PRINCIPAL.user ? n : kind === PRINCIPAL.address ? v.identityOfAddress[n]! : -1;
        const d = kind === PRINCIPAL.domain ? whole[n] : identity >= 0 ? ofIdentity[identity] : undefined;
        if (!d) continue;
        if (kind === PRINCIPAL.domain) d.row.whole = true;
        here.add(d.number);
      }
    if (inGroups.size === 1 && !here.size)
      for (const g of inGroups) {
        groups.push(g);
        ofOne.push(e);
      }
    else {
      for (const g of inGroups) for (const d of ofGroup[g]!) here.add(d);
      for (const d of here) {
        domains.push(d);
        ofSome.push(e);
      }
    }
  }
  const n: Named = {
    out,
    list,
    ofIdentity,
    ofGroup,
    byGroup: listsBy(groups.done(), ofOne.done(), org.groups.length),
    direct: listsBy(domains.done(), ofSome.done(), list.length),
  };
  named.set(l, n);
  return n;
}

/** The grants and links in force that name somebody of a domain, or all of them; each once. */
function* entriesNaming({ byGroup, direct, ofGroup }: Named, { number }: Domain): Generator<number> {
  yield* direct.values.subarray(direct.start[number], direct.start[number + 1]);
  for (let g = 0; g < ofGroup.length; g++)
    if (ofGroup[g]!.includes(number)) yield* byGroup.values.subarray(byGroup.start[g], byGroup.start[g + 1]);
}

/** What a list of entries comes to: how many there are, where, since when, and who of which department made how many. */
interface Shares {
  levels: Int32Array;
  since: number;
  makers: Int32Array;
}
const LEVELS = ['space', 'folder', 'file'] as const;

/** The domains, with what each comes to. */
export function domains(l: Loaded): Map<string, Domain> {
  const known = made.get(l);
  if (known) return known;
  const { org } = l;
  const n = domainsNamed(l);
  const { out, list, ofIdentity } = n;
  // who used what last
  const last = new Float64Array(list.length);
  for (let k = 0; k < l.usage.identity.length; k++) {
    const d = ofIdentity[l.usage.identity[k]!];
    if (d) last[d.number] = Math.max(last[d.number]!, l.usage.opened[k]! || 0, l.usage.edited[k]! || 0);
  }
  const departments = new Interner();
  const departmentOf = Int32Array.from(org.users, (u) => (u.department ? departments.of(u.department) : -1));
  const S = org.spaces.length;
  const { node, made: at } = org.entries;
  const sharesOf = (of: Int32Array): Shares => {
    const s: Shares = {
      levels: new Int32Array(LEVELS.length),
      since: Infinity,
      makers: new Int32Array(departments.names.length),
    };
    for (const e of of) {
      s.levels[node[e]! < S ? 0 : l.items.isFile[node[e]! - S] ? 2 : 1]!++;
      if (at[e]! > 0 && at[e]! < s.since) s.since = at[e]!;
      const department = l.madeBy[e]! < 0 ? -1 : departmentOf[l.madeBy[e]!]!;
      if (department >= 0) s.makers[department]!++;
    }
    return s;
  };
  // what names one group is counted once, and added to each domain in the group
  const all = list.map((d) =>
    sharesOf(n.direct.values.subarray(n.direct.start[d.number], n.direct.start[d.number + 1])),
  );
  n.ofGroup.forEach((of, g) => {
    const { start, values } = n.byGroup;
    if (!of.length || start[g] === start[g + 1]) return;
    const mine = sharesOf(values.subarray(start[g], start[g + 1]));
    for (const d of of) {
      const to = all[d]!;
      mine.levels.forEach((count, k) => (to.levels[k]! += count));
      to.since = Math.min(to.since, mine.since);
      mine.makers.forEach((count, k) => (to.makers[k]! += count));
    }
  });
  const reached = reachedByDomain(
    l,
    new Map(list.flatMap((d) => [...d.names].map((name) => [name, d.number] as const))),
    list.length,
  );
  for (const d of list) {
    const { levels, since, makers } = all[d.number]!;
    Object.assign(d.row, reached(d.number), {
      shares: levels.reduce((x, y) => x + y, 0),
      levels: Object.fromEntries(LEVELS.map((name, k) => [name, levels[k]!])),
      sharers: departments.names
        .map((name, k) => ({ name, shares: makers[k]! }))
        .filter((m) => m.shares)
        .sort((a, b) => b.shares - a.shares),
      since: since < Infinity ? new Date(since).toISOString() : null,
      lastUsed: last[d.number] ? new Date(last[d.number]!).toISOString() : null,
    });
  }
  made.set(l, out);
  return out;
}

/**
 * What each domain reaches now, of `count` that names are numbered to. Counted by access class: items
 * of one class are reached by the same domains, owners aside.
 */
export function reachedByDomain(l: Loaded, numberOf: ReadonlyMap<string, number>, domainCount: number) {
  const { org, columns, view: v } = l;
  const [files, heavy, points, heaviest] = [0, 1, 2, 3].map(() => new Float64Array(domainCount)) as [
    Float64Array,
    Float64Array,
    Float64Array,
    Float64Array,
  ];
  const S = org.spaces.length;
  const pointsOf = pointsByItem(l);
  const ofName = Int32Array.from(v.domainNames, (name) => numberOf.get(name) ?? -1);
  const wholeOf = Int32Array.from(org.domains, (name) => numberOf.get(name) ?? -1);
  const { classes } = columns;
  const C = classes.length;
  const [filesIn, heavyIn, pointsIn, heaviestIn] = [0, 1, 2, 3].map(() => new Float64Array(C)) as [
    Float64Array,
    Float64Array,
    Float64Array,
    Float64Array,
  ];
  /** Files that a domain reaches by owning them, beside what their class lets it reach. */
  const owned: number[] = [];
  for (let i = 0; i < l.items.length; i++) {
    if (!l.items.isFile[i]) continue;
    const cls = columns.accessClass[S + i]!;
    const weight = l.weights[i]!;
    filesIn[cls]!++;
    if (weight >= HEAVY) heavyIn[cls]!++;
    pointsIn[cls]! += pointsOf[i]!;
    if (weight > heaviestIn[cls]!) heaviestIn[cls] = weight;
    if (columns.ownerAdds[S + i] && (ofName[v.identityDomain[org.itemOwner[i]!]!] ?? -1) >= 0) owned.push(i);
  }
  const count = (d: number, more: readonly [number, number, number, number]): void => {
    files[d]! += more[0];
    heavy[d]! += more[1];
    points[d]! += more[2];
    if (more[3] > heaviest[d]!) heaviest[d] = more[3];
  };
  owned.sort((a, b) => columns.accessClass[S + a]! - columns.accessClass[S + b]!);
  let next = 0;
  /** The class that last counted for each domain. */
  const last = new Int32Array(domainCount).fill(-1);
  for (let cls = 0; cls < C; cls++) {
    if (!filesIn[cls]) continue;
    const { identityDomains, wholeDomains } = classes[cls]!;
    const sum = [filesIn[cls]!, heavyIn[cls]!, pointsIn[cls]!, heaviestIn[cls]!] as const;
    const give = (d: number): void => {
      if (d < 0 || last[d] === cls) return;
      last[d] = cls;
      count(d, sum);
    };
    forEachBoth(identityDomains, identityDomains, (name) => give(ofName[name]!));
    for (const w of wholeDomains) give(wholeOf[w]!);
    for (; next < owned.length && columns.accessClass[S + owned[next]!] === cls; next++) {
      const i = owned[next]!;
      const owner = ofName[v.identityDomain[org.itemOwner[i]!]!]!;
      if (last[owner] !== cls) count(owner, [1, l.weights[i]! >= HEAVY ? 1 : 0, pointsOf[i]!, l.weights[i]!]);
    }
  }
  return (d: number) => ({ files: files[d]!, heavy: heavy[d]!, points: points[d]!, heaviest: heaviest[d]! });
}

const FIELDS: Getters<OutsideRow, 'outside'> = {
  text: (r) => `${r.domain} ${r.sharers.map((s) => s.name).join(' ')}`.toLowerCase(),
  domain: (r) => r.domain,
  expected: (r) => r.standing === 'partner',
  consumer: (r) => r.consumer,
  lookAlike: (r) => r.likens !== undefined,
  people: (r) => r.people,
  shares: (r) => r.shares,
  files: (r) => r.files,
  heavy: (r) => r.heavy,
  heaviest: (r) => r.heaviest,
  points: (r) => r.points,
  sharers: (r) => r.sharers.map((s) => s.name),
  lastUsed: (r) => Date.parse(r.lastUsed ?? ''),
};

export interface OutsideQuery {
  /** A condition over `FIELDS.outside`. */
  where?: string | undefined;
  show: OutsideShow;
  text?: string | undefined;
  sort: readonly Sort<'domain' | 'points' | 'files' | 'heavy' | 'people' | 'shares' | 'lastUsed'>[];
}

const fits = (r: OutsideRow, show: OutsideQuery['show']): boolean =>
  show === 'all' ||
  (show === 'consumer' ? r.consumer : show === 'look-alike' ? r.likens !== undefined : r.standing === show);

const ORDER: Record<OutsideQuery['sort'][number]['key'], (a: OutsideRow, b: OutsideRow) => number> = {
  domain: (a, b) => byCode(a.domain, b.domain),
  lastUsed: (a, b) => byCode(a.lastUsed ?? '', b.lastUsed ?? ''),
  points: (a, b) => a.points - b.points,
  files: (a, b) => a.files - b.files,
  heavy: (a, b) => a.heavy - b.heavy,
  people: (a, b) => a.people - b.people,
  shares: (a, b) => a.shares - b.shares,
};

export function outside(l: Loaded, q: OutsideQuery): OutsidePage {
  const all = [...domains(l).values()].map((d) => d.row);
  const test = rowTest(q, 'outside', FIELDS, Date.parse(l.takenAt));
  const rows = all.filter((r) => fits(r, q.show) && test(r));
  const order = compareBy(q.sort, ORDER);
  rows.sort((a, b) => order(a, b) || b.files - a.files || byCode(a.domain, b.domain));
  const flows = rows.flatMap((r) =>
    r.sharers.map((s) => ({ department: s.name, domain: r.domain, shares: s.shares })),
  );
  return {
    rows,
    counts: Object.fromEntries(
      OUTSIDE_SHOWS.map((k) => [k, all.filter((r) => fits(r, k)).length]),
    ) as OutsidePage['counts'],
    flows: flows.sort((a, b) => b.shares - a.shares),
    survey: l.survey,
    takenAt: l.takenAt,
  };
}

interface FilesBelow {
  files: Int32Array;
  weight: Uint8Array;
}
const counted = new WeakMap<Loaded, FilesBelow>();

/** By node: how many files lie below it, and what the heaviest weighs; a team is counted without its parts. */
function filesBelow(l: Loaded): FilesBelow {
  const known = counted.get(l);
  if (known) return known;
  const { org, items, weights } = l;
  const S = org.spaces.length;
  const files = new Int32Array(S + items.length);
  const weight = new Uint8Array(S + items.length);
  for (let i = items.length - 1; i >= 0; i--) {
    if (items.isFile[i]) {
      files[S + i]!++;
      weight[S + i] = Math.max(weight[S + i]!, weights[i]!);
    }
    const above = parentNode(org, S + i);
    files[above]! += files[S + i]!;
    weight[above] = Math.max(weight[above]!, weight[S + i]!);
  }
  const below = { files, weight };
  counted.set(l, below);
  return below;
}

const SHOWN = 300;

/** One domain: its people, and everything that was shared with it, the heaviest first. */
export function outsideDossier(l: Loaded, name: string): OutsideDossier | undefined {
  const d = domains(l).get(name);
  if (!d) return undefined;
  const S = l.org.spaces.length;
  const { weight, files } = filesBelow(l);
  const of = l.org.entries;
  const entries = [...entriesNaming(domainsNamed(l), d)];
  const at = (e: number): number => of.node[e]!;
  entries.sort(
    (a, b) =>
      weight[at(b)]! - weight[at(a)]! ||
      files[at(b)]! - files[at(a)]! ||
      (of.ids.at(a) < of.ids.at(b) ? -1 : 1),
  );
  const shares = entries.slice(0, SHOWN).map((e): ShareRow => {
    const node = at(e);
    const [from, to] = itemsBelow(l.org, node);
    let used = 0;
    for (let k = l.usage.start[from]!; k < l.usage.start[to]!; k++) {
      const domain = l.view.identityDomain[l.usage.identity[k]!]!;
      if (domain >= 0 && d.names.has(l.view.domainNames[domain]!))
        used = Math.max(used, l.usage.opened[k]! || 0, l.usage.edited[k]! || 0);
    }
    const label = node < S ? l.org.spaces[node]!.label : l.items.label(node - S);
    return {
      entry: entryRef(l, e),
      key: nodeKey(l, node),
      weight: weight[node]!,
      files: files[node]!,
      ...(label && { label }),
      lastUsed: used ? new Date(used).toISOString() : null,
    };
  });
  const people: OutsideDossier['people'] = [];
  l.view.identityDomain.forEach((n, i) => {
    if (n >= 0 && has(l.view.all, i) && d.names.has(l.view.domainNames[n]!)) people.push(personRef(l, i));
  });
  return {
    row: d.row,
    names: [...d.names].sort(),
    shares,
    sharesMore: Math.max(0, entries.length - SHOWN),
    people: people.slice(0, SHOWN),
  };
}

/** What calling a domain a partner's, or no longer one, changes: nothing is set by asking. */
export function partnerPreview(l: Loaded, domain: string, partner: boolean): PartnerPreview {
  const others = l.org.own.partnerDomains.filter((d) => d !== domain);
  const { columns, exposures } = judgedWith(
    l.view,
    l.columns,
    l.weights,
    l.exposures,
    partner ? [...others, domain] : others,
  );
  let files = 0;
  for (let i = 0; i < l.items.length; i++) {
    const node = nodeOfItem(l.org, i);
    const isSame =
      l.columns.nowTier[node] === columns.nowTier[node] &&
      l.columns.couldTier[node] === columns.couldTier[node];
    if (!isSame && l.items.isFile[i]) files++;
  }
  const sum = (list: readonly { points: number }[]): number => list.reduce((n, e) => n + e.points, 0);
  return {
    files,
    findings: { before: l.exposures.length, after: exposures.length },
    points: { before: sum(l.exposures), after: sum(exposures) },
  };
}
