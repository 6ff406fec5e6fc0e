/** What a domain is to us: a partner's, a provider of free mailboxes, or one that is made to look like another. */
import { distance } from 'fastest-levenshtein';
import providers from 'email-providers/all.json' with { type: 'json' };
import { getDomain, getPublicSuffix } from 'tldts';
import { domainName } from '../access/addresses.ts';
import { coveredBy } from '../model.ts';

/** Providers of mailboxes for anybody (email-providers); reserved names (RFC 2606) are none. */
const FREE = new Set(providers.filter((d) => !/(?:^|\.)(?:example|test|invalid|localhost)(?:\.|$)/.test(d)));

export interface DomainAbout {
  /** What is registered: the domain below its public suffix (publicsuffix.org). */
  registrable: string;
  standing: 'own' | 'partner' | 'unknown';
  /** Anybody can get a mailbox there. */
  consumer: boolean;
  /** A domain of ours or a partner's that it may be taken for, and why. */
  likens?: { domain: string; how: string };
}

/** The registrable domain of a name; the name itself where it has no suffix that is known. */
export const registrable = (name: string): string => getDomain(name, { allowPrivateDomains: true }) ?? name;

export function aboutDomain(name: string, own: readonly string[], partners: readonly string[]): DomainAbout {
  const about = {
    registrable: registrable(name),
    standing: coveredBy(name, own)
      ? ('own' as const)
      : coveredBy(name, partners)
        ? ('partner' as const)
        : ('unknown' as const),
    consumer: FREE.has(name) || FREE.has(registrable(name)),
  };
  const likens =
    about.standing === 'unknown' && !about.consumer ? lookAlike(name, [...own, ...partners]) : undefined;
  return { ...about, ...(likens && { likens }) };
}

/** Letters that look like others: those of Unicode Technical Standard #39 that stand for Latin ones, and pairs that run together. */
const ALIKE: Record<string, string> = {
  '0': 'o',
  '1': 'l',
  '3': 'e',
  '5': 's',
  i: 'l',
  j: 'l',
  а: 'a',
  е: 'e',
  о: 'o',
  р: 'p',
  с: 'c',
  у: 'y',
  х: 'x',
  і: 'l',
  ѕ: 's',
  ԁ: 'd',
  һ: 'h',
  ո: 'n',
  ο: 'o',
  α: 'a',
  ν: 'v',
  ι: 'l',
  κ: 'k',
  ρ: 'p',
  τ: 't',
};
const PAIRS: [RegExp, string][] = [
  [/rn/g, 'm'],
  [/vv/g, 'w'],
  [/cl/g, 'd'],
];

/** A name as the eye takes it. */
export function skeleton(label: string): string {
  let plain = label
    .toLowerCase()
    .normalize('NFKD')
    .replace(/[\u0300-\u036f-]/g, '');
  for (const [pair, one] of PAIRS) plain = plain.replace(pair, one);
  return [...plain].map((c) => ALIKE[c] ?? c).join('');
}

/** The name without its public suffix and what stands before the registrable part: `port-north` of `mail.port-north.example`. */
const labelOf = (name: string): string => {
  const whole = registrable(name);
  const suffix = getPublicSuffix(whole, { allowPrivateDomains: true });
  return suffix && whole.endsWith(`.${suffix}`) ? whole.slice(0, -suffix.length - 1) : whole;
};

/** Shorter names than this differ from many by a letter. */
const LONG_ENOUGH = 6;

/** The first of some domains that a name may be taken for; none where it is one of them. */
export function lookAlike(
  spelling: string,
  known: readonly string[],
): { domain: string; how: string } | undefined {
  const name = domainName(spelling);
  if (coveredBy(name, known)) return undefined;
  const label = labelOf(name);
  const seen = skeleton(label);
  let close: { domain: string; how: string } | undefined;
  for (const domain of known) {
    const other = labelOf(domain);
    if (other.length < 3) continue;
    if (label === other) return { domain, how: 'the same name with another suffix' };
    const theirs = skeleton(other);
    if (seen === theirs) return { domain, how: 'letters that look alike' };
    if (other.length < LONG_ENOUGH) continue;
    if (distance(seen, theirs) <= (other.length >= 10 ? 2 : 1))
      close ??= { domain, how: 'a letter or two apart' };
    else if (seen.includes(theirs)) close ??= { domain, how: 'the same name with something added' };
  }
  return close;
}
