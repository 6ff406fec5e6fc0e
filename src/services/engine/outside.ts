/** Outside: every external domain, who shared what with it, by what, and what it comes to. */
import { itemsBelow, nodeOfItem, PRINCIPAL } from '../../core/access/organisation.ts';
import { forEachBoth, has } from '../../core/access/bits.ts';
import { reach } from '../../core/access/reach.ts';
import { view } from '../../core/access/view.ts';
import { whatOf } from '../../core/access/what.ts';
import { aboutDomain, registrable } from '../../core/exposure/domains.ts';
import { findExposures } from '../../core/exposure/find.ts';
import { rowTest, type Getters } from '../../core/filter/filter.ts';
import { coveredBy } from '../../core/model.ts';
import {
  OUTSIDE_SHOWS,
  type OutsideDossier,
  type OutsidePage,
  type OutsideRow,
  type OutsideShow,
  type PartnerPreview,
  type ShareRow,
} from '../dto.ts';
import { entryRef, nodeKey, nodeKind, personRef } from './describe.ts';
import { HEAVY, type Loaded } from './loaded.ts';

interface Domain {
  row: OutsideRow;
  names: Set<string>;
  entries: Set<number>;
}
const made = new WeakMap<Loaded, Map<string, Domain>>();
const named = new WeakMap<Loaded, { out: Map<string, Domain>; ofIdentity: (Domain | undefined)[] }>();

/** Domains by what is registered, with the grants and links in force that name somebody of theirs, or all of them. */
export function domainsNamed(l: Loaded): { out: Map<string, Domain>; ofIdentity: (Domain | undefined)[] } {
  const known = named.get(l);
  if (known) return known;
  const { org, view: v } = l;
  const out = new Map<string, Domain>();
  const at = (name: string): Domain | undefined => {
    if (!name || coveredBy(name, org.own.domains)) return undefined;
    const key = registrable(name);
    let d = out.get(key);
    if (!d) {
      const about = aboutDomain(key, org.own.domains, org.own.partnerDomains);
      const standing = coveredBy(name, org.own.partnerDomains) ? 'partner' : about.standing;
      d = {
        names: new Set(),
        entries: new Set(),
        row: {
          domain: key, standing: standing === 'own' ? 'partner' : standing, consumer: about.consumer, ...(about.likens && { likens: about.likens }),
          people: 0, whole: false, shares: 0, levels: { space: 0, folder: 0, file: 0 }, files: 0, heavy: 0, heaviest: 0, points: 0, sharers: [], lastUsed: null, since: null,
        },
      }; // prettier-ignore
      out.set(key, d);
    }
    d.names.add(name);
    return d;
  };
  const ofIdentity: (Domain | undefined)[] = [];
  v.identityDomain.forEach((d, i) => {
    if (d < 0 || !has(v.all, i)) return;
    const domain = at(v.domainNames[d]!);
    if (domain) domain.row.people++;
    ofIdentity[i] = domain;
  });
  const ofName = v.domainNames.map((name) =>
    coveredBy(name, org.own.domains) ? undefined : out.get(registrable(name)),
  );
  const { entries } = org;
  for (let e = 0; e < entries.ids.length; e++) {
    if (!v.live[e]) continue;
    const here = new Set<Domain>();
    for (const [kinds, numbers] of [
      [entries.toKind, entries.toNumber],
      [entries.redeemedKind, entries.redeemedNumber],
    ] as const)
      for (let i = kinds.start[e]!; i < kinds.start[e + 1]!; i++) {
        const [kind, n] = [kinds.values[i]!, numbers.values[i]!];
        if (kind === PRINCIPAL.group)
          forEachBoth(v.groupDomains[n]!, v.groupDomains[n]!, (name) => {
            const d = ofName[name];
            if (d) here.add(d);
          });
        else if (kind === PRINCIPAL.domain) {
          const d = at(org.domains[n]!);
          if (d) {
            d.row.whole = true;
            here.add(d);
          }
        } else {
          const identity =
            kind === PRINCIPAL.user ? n : kind === PRINCIPAL.address ? v.identityOfAddress[n]! : -1;
          const d = identity >= 0 ? ofIdentity[identity] : undefined;
          if (d) here.add(d);
        }
      }
    for (const d of here) d.entries.add(e);
  }
  named.set(l, { out, ofIdentity });
  return { out, ofIdentity };
}

/** The same, with what each comes to. */
function domains(l: Loaded): Map<string, Domain> {
  const known = made.get(l);
  if (known) return known;
  const { org, view: v } = l;
  const { entries } = org;
  const { out, ofIdentity } = domainsNamed(l);
  // who used what last
  const last = new Map<Domain, number>();
  for (let k = 0; k < l.usage.identity.length; k++) {
    const d = ofIdentity[l.usage.identity[k]!];
    if (!d) continue;
    const time = Math.max(l.usage.opened[k]! || 0, l.usage.edited[k]! || 0);
    if (time > (last.get(d) ?? 0)) last.set(d, time);
  }
  const points = new Float64Array(l.items.length);
  for (const e of l.exposures) points[e.item] = e.points;
  const S = org.spaces.length;
  const users = new Map(org.users.map((u) => [u.id, u]));
  for (const d of out.values()) {
    const { row } = d;
    const bits = new Uint8Array(S + l.items.length);
    for (const name of d.names) whatOf(v, { domain: name }).forEach((b, n) => (bits[n]! |= b));
    for (let i = 0; i < l.items.length; i++) {
      if (!bits[S + i] || l.items[i]!.kind !== 'file') continue;
      row.files++;
      if (l.weights[i]! >= HEAVY) row.heavy++;
      row.heaviest = Math.max(row.heaviest, l.weights[i]!);
      row.points += points[i]!;
    }
    const sharers = new Map<string, number>();
    let since = Infinity;
    for (const e of d.entries) {
      row.shares++;
      row.levels[nodeKind(l, entries.node[e]!)]++;
      const raw = l.entryRow(e);
      const by = 'createdBy' in raw ? raw.createdBy : 'grantedBy' in raw ? raw.grantedBy : undefined;
      const department = by === undefined ? undefined : users.get(by)?.department;
      if (department) sharers.set(department, (sharers.get(department) ?? 0) + 1);
      if (entries.made[e]! < since) since = entries.made[e]!;
    }
    row.sharers = [...sharers].sort((a, b) => b[1] - a[1]).map(([name, shares]) => ({ name, shares }));
    row.since = since < Infinity ? new Date(since).toISOString() : null;
    const used = last.get(d);
    row.lastUsed = used ? new Date(used).toISOString() : null;
  }
  made.set(l, out);
  return out;
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
  sort: 'domain' | 'points' | 'files' | 'heavy' | 'people' | 'shares' | 'lastUsed';
  down: boolean;
}

const fits = (r: OutsideRow, show: OutsideQuery['show']): boolean =>
  show === 'all' ||
  (show === 'consumer' ? r.consumer : show === 'look-alike' ? r.likens !== undefined : r.standing === show);

export function outside(l: Loaded, q: OutsideQuery): OutsidePage {
  const all = [...domains(l).values()].map((d) => d.row);
  const test = rowTest(q, 'outside', FIELDS, Date.parse(l.takenAt));
  const rows = all.filter((r) => fits(r, q.show) && test(r));
  const value = (r: OutsideRow): number | string =>
    q.sort === 'domain' ? r.domain : q.sort === 'lastUsed' ? (r.lastUsed ?? '') : r[q.sort];
  const sign = q.down ? -1 : 1;
  rows.sort((a, b) => {
    const [x, y] = [value(a), value(b)];
    return (x < y ? -sign : x > y ? sign : 0) || b.files - a.files || (a.domain < b.domain ? -1 : 1);
  });
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
} // prettier-ignore

/** One domain: its people, and everything that was shared with it, the heaviest first. */
export function outsideDossier(l: Loaded, name: string): OutsideDossier | undefined {
  const d = domains(l).get(name);
  if (!d) return undefined;
  const S = l.org.spaces.length;
  const shares = [...d.entries].map((e): ShareRow => {
    const node = l.org.entries.node[e]!;
    const [from, to] = itemsBelow(l.org, node);
    let [weight, files, used] = [0, 0, 0];
    for (let i = from; i < to; i++) {
      if (l.items[i]!.kind !== 'file') continue;
      files++;
      weight = Math.max(weight, l.weights[i]!);
      for (let k = l.usage.start[i]!; k < l.usage.start[i + 1]!; k++) {
        const domain = l.view.identityDomain[l.usage.identity[k]!]!;
        if (domain >= 0 && d.names.has(l.view.domainNames[domain]!))
          used = Math.max(used, l.usage.opened[k]! || 0, l.usage.edited[k]! || 0);
      }
    }
    const label = node < S ? l.org.spaces[node]!.label : l.items[node - S]!.label;
    return {
      entry: entryRef(l, e),
      key: nodeKey(l, node),
      weight,
      files,
      ...(label && { label }),
      lastUsed: used ? new Date(used).toISOString() : null,
    };
  });
  shares.sort((a, b) => b.weight - a.weight || b.files - a.files || (a.entry.id < b.entry.id ? -1 : 1));
  const people: OutsideDossier['people'] = [];
  l.view.identityDomain.forEach((n, i) => {
    if (n >= 0 && has(l.view.all, i) && d.names.has(l.view.domainNames[n]!)) people.push(personRef(l, i));
  });
  return { row: d.row, names: [...d.names].sort(), shares: shares.slice(0, 300), sharesMore: Math.max(0, shares.length - 300), people: people.slice(0, 300) };
} // prettier-ignore

/** What calling a domain a partner's, or no longer one, changes: nothing is set by asking. */
export function partnerPreview(l: Loaded, domain: string, partner: boolean): PartnerPreview {
  const before = l.exposures;
  const after = withPartners(l, domain, partner);
  const sum = (list: readonly { points: number }[]): number => list.reduce((n, e) => n + e.points, 0);
  let changed = 0;
  for (let i = 0; i < l.items.length; i++) {
    const node = nodeOfItem(l.org, i);
    if (
      l.items[i]!.kind === 'file' &&
      (l.columns.nowTier[node] !== after.columns.nowTier[node] || l.columns.couldTier[node] !== after.columns.couldTier[node])
    )
      changed++;
  }
  return {
    files: changed,
    findings: { before: before.length, after: after.exposures.length },
    points: { before: sum(before), after: sum(after.exposures) },
  };
} // prettier-ignore

function withPartners(l: Loaded, domain: string, partner: boolean) {
  const others = l.org.own.partnerDomains.filter((d) => d !== domain);
  const own = { ...l.org.own, partnerDomains: partner ? [...others, domain] : others };
  const v = view({ ...l.org, own });
  const columns = reach(v);
  return { columns, exposures: findExposures(v, columns, l.weights) };
}
